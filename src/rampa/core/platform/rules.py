"""A rule: what a platform, a storefront or a purpose asks of one setting. Rules are data; core/check/profile.py reads them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from rampa.core.platform.requirements import Requirement

When = tuple[tuple[str, tuple[Any, ...]], ...]


@dataclass(frozen=True, slots=True)
class Rule:
    """`code` is stable; `key` the setting; `why` a clause that says what would happen otherwise.

    `when` limits the rule to profiles whose settings have one of the given values, each pair (key, values).
    `unset` rules look at a setting that has no value too.
    """

    code: str
    key: str
    requirement: Requirement
    why: str
    severity: str = "blocker"
    when: When = ()
    unset: bool = False


@dataclass(frozen=True, slots=True)
class IconFile:
    """One picture of an icon set: its name, size in pixels, square; `holds` sizes for a format with several in one file."""

    name: str
    size: int
    form: str = "png"
    holds: tuple[int, ...] = ()
    opaque: bool = False


@dataclass(frozen=True, slots=True)
class OpeningPicture:
    """What is shown while the title starts: name, width and height in pixels, format; bmp is 24-bit without transparency."""

    name: str
    width: int
    height: int
    form: str = "png"


@dataclass(frozen=True, slots=True)
class Platform:
    """An operating system with its rules.

    `code_limit` is the largest version code. `folds_case`: names that differ only by case are one file there.
    `levels` says what a level is there; `lowest` is the lowest that any profile may name, `usual` the default minimum.
    `path_limit` counts the characters of a delivered path.
    """

    name: str
    title: str
    containers: tuple[str, ...]
    architectures: tuple[str, ...]
    code_limit: int
    folds_case: bool
    levels: str
    lowest: str
    usual: str
    graphics: tuple[str, ...]
    windows: tuple[str, ...]
    identifiers: Requirement
    icons: tuple[IconFile, ...]
    opening: OpeningPicture
    handheld: bool = False
    free_names: bool = False
    """It takes version names that are not SemVer."""
    rising_codes: bool = False
    """It installs nothing over a higher version code: going back takes a new one."""
    needs_grant: bool = False
    """Test builds run only on devices that a grant lists."""
    permissions: tuple[str, ...] = ()
    features: tuple[str, ...] = ()
    path_limit: int = 1024
    reserved_names: frozenset[str] = frozenset()
    reserved_characters: str = ""
    rules: tuple[Rule, ...] = ()


@dataclass(frozen=True, slots=True)
class Storefront:
    """A simulated storefront: the platforms that it takes, and what it asks beyond theirs."""

    name: str
    title: str
    platforms: tuple[str, ...]
    rules: tuple[Rule, ...]
