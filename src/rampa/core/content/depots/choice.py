"""Which depots of a build a device gets: by platform and architecture, language, addon and asset quality.

A depot without a word about one of these is for everybody. Two depots of different qualities, or of different architectures,
are never installed together, so they may deliver the same paths.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Selector:
    """Whom a depot is for. Empty: for everybody."""

    architectures: tuple[str, ...] = ()
    language: str = ""
    addon: str = ""
    quality: str = ""


EVERYBODY = Selector()


@dataclass(frozen=True)
class Choice:
    """What a device asks for. None: all languages, all addons. Empty: the first architecture, the first quality."""

    architecture: str = ""
    languages: tuple[str, ...] | None = None
    addons: tuple[str, ...] | None = None
    quality: str = ""


EVERYTHING = Choice()


def qualities(selectors: Mapping[str, Selector]) -> list[str]:
    """Those that there are, the first one being what a device gets that asks for none."""
    return list(dict.fromkeys(s.quality for s in selectors.values() if s.quality))


def chosen(selectors: Mapping[str, Selector], choice: Choice) -> list[str]:
    """The names of the depots that a device gets, in the build's order: later ones do not replace earlier ones."""
    known = qualities(selectors)
    # A wish that the build does not know is none at all: a device that asks for a quality of yesterday still gets a
    # game.
    quality = choice.quality if choice.quality in known else next(iter(known), "")
    built = list(dict.fromkeys(a for s in selectors.values() for a in s.architectures))
    architecture = choice.architecture if choice.architecture in built else next(iter(built), "")
    return [
        name
        for name, s in selectors.items()
        if (not s.architectures or architecture in s.architectures)
        and (not s.language or choice.languages is None or s.language in choice.languages)
        and (not s.addon or choice.addons is None or s.addon in choice.addons)
        and (not s.quality or s.quality == quality)
    ]


def together(one: Selector, other: Selector) -> bool:
    """Whether one device can get both."""
    if one.quality and other.quality and one.quality != other.quality:
        return False
    mine, theirs = set(one.architectures), set(other.architectures)
    return not (mine and theirs) or bool(mine & theirs)


def as_words(selector: Selector) -> dict[str, object]:
    """For JSON: only what is said."""
    words: dict[str, object] = {
        "architectures": list(selector.architectures),
        "language": selector.language,
        "addon": selector.addon,
        "quality": selector.quality,
    }
    return {k: v for k, v in words.items() if v}


def from_words(words: Mapping[str, object]) -> Selector:
    """Raises `TypeError` or `ValueError` for anything else."""
    architectures = words.get("architectures", [])
    if not isinstance(architectures, list):
        raise TypeError("architectures")
    texts = {k: words.get(k, "") for k in ("language", "addon", "quality")}
    if any(not isinstance(v, str) for v in [*texts.values(), *architectures]):
        raise TypeError("selector")
    return Selector(tuple(architectures), **texts)  # type: ignore[arg-type]
