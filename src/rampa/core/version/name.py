"""Version names: SemVer 2.0.0 with its ordering (section 11), and free-form names where a profile says so."""

from __future__ import annotations

import re
from dataclasses import dataclass

# The regular expression that semver.org suggests.
SEMVER = re.compile(
    r"(0|[1-9]\d*)\.(0|[1-9]\d*)\.(0|[1-9]\d*)"
    r"(?:-((?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*)(?:\.(?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*))*))?"
    r"(?:\+([0-9a-zA-Z-]+(?:\.[0-9a-zA-Z-]+)*))?",
    re.ASCII,
)
LONGEST = 64
FORBIDDEN = '<>:"/\\|?*'


@dataclass(frozen=True)
class VersionName:
    """`before` are the identifiers of a pre-release, empty for a release; `build` does not order."""

    major: int
    minor: int
    patch: int
    before: tuple[str, ...] = ()
    build: str = ""

    @property
    def key(self) -> tuple[object, ...]:
        """Sorts as section 11 says: numbers before words, a pre-release before its release, more identifiers after fewer."""
        parts = tuple((0, int(p), "") if p.isdecimal() else (1, 0, p) for p in self.before)
        return (self.major, self.minor, self.patch, not self.before, parts)


def parse(text: str) -> VersionName | None:
    """None when it is not SemVer."""
    match = SEMVER.fullmatch(text) if len(text) <= LONGEST else None
    if match is None:
        return None
    before = tuple(match[4].split(".")) if match[4] else ()
    return VersionName(int(match[1]), int(match[2]), int(match[3]), before, match[5] or "")


def version_name_problem(text: str) -> str:
    """What is wrong with a version name, as a clause; empty when nothing is."""
    return "" if parse(text) else "it must be a SemVer 2.0 version such as 1.4.0 or 1.4.0-rc.2"


def free_name_problem(text: str) -> str:
    """The same for a name of any form. It stands in file names."""
    if not text.strip() or len(text) > LONGEST or not text.isprintable() or any(c in FORBIDDEN for c in text):
        return f"it must be 1 to {LONGEST} printable characters, none of {' '.join(FORBIDDEN)}"
    return "it ends in a dot or a space" if text[-1] in ". " else ""


def bumped(text: str, part: str) -> str:
    """The next version name: the `part` (major, minor, patch) raised, what is below it at 0, no pre-release.

    `stage` raises a pre-release's last number; a pre-release raised by its own `patch` becomes the release. Raises `ValueError`.
    """
    name = parse(text)
    if name is None:
        raise ValueError(f"{text!r} is no SemVer name")
    if part == "stage":
        if not name.before or not name.before[-1].isdecimal():
            raise ValueError(f"{text} has no stage with a number, such as rc.1")
        before = ".".join((*name.before[:-1], str(int(name.before[-1]) + 1)))
        return f"{name.major}.{name.minor}.{name.patch}-{before}"
    if part == "patch":
        return f"{name.major}.{name.minor}.{name.patch if name.before else name.patch + 1}"
    return f"{name.major}.{name.minor + 1}.0" if part == "minor" else f"{name.major + 1}.0.0"
