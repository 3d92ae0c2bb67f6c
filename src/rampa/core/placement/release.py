"""A release: builds of one version, one for each line, placed together. What fits together, and what is still missing."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from rampa.core.errors import Invalid
from rampa.core.platform.table import line_title

Line = tuple[str, str]
"""(platform, storefront); an empty storefront: Rampa delivers the line itself."""


class ReleaseLineState(StrEnum):
    """How far one line of a release is. `lags`: nothing of this version is there or being made."""

    READY = "ready"
    LEFT_OUT = "left-out"
    MAKING = "making"
    FAILED = "failed"
    LAGS = "lags"


@dataclass(frozen=True)
class Candidate:
    """A build as a release sees it."""

    name: str
    line: Line
    version_name: str
    purpose: str
    ready: bool


def check_release(builds: Sequence[Candidate]) -> None:
    """Raises `Invalid` for builds that do not belong together, with those that differ."""
    if not builds:
        raise Invalid("release.empty", "a release has at least one build", where="builds")
    unready = next((b for b in builds if not b.ready), None)
    if unready:
        raise Invalid("release.not-ready", f"{unready.name} is not ready", where="builds", hint="Wait for its run.")
    for what in ("version_name", "purpose"):
        said = {getattr(b, what): b.name for b in builds}
        if len(said) > 1:
            names = ", ".join(f"{name} is {value}" for value, name in said.items())
            word = "version" if what == "version_name" else what
            raise Invalid(f"release.{word}", f"a release has one {word}: {names}", where="builds")
    by_line: dict[Line, str] = {}
    for build in builds:
        if build.line in by_line:
            both = f"{by_line[build.line]} and {build.name}"
            hint = "Name one of them."
            raise Invalid("release.line", f"{both} are both for {line_title(*build.line)}", where="builds", hint=hint)
        by_line[build.line] = build.name


def missing(expected: Iterable[Line], builds: Iterable[Line], left_out: Iterable[Line]) -> list[Line]:
    """Lines that have neither a build nor a reason to be left out, in the order in which they are expected."""
    settled = {*builds, *left_out}
    return [line for line in dict.fromkeys(expected) if line not in settled]
