"""Frameworks in a bundle, by names of files: `libmist-1.4.so`, `libmist.so.2.0`, `mist-2.1.dll`, `mist-2.1.framework/…`."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

NAME = r"(?:lib)?(?P<name>[a-z][a-z0-9_]{0,40}(?:-[a-z][a-z0-9_]{0,40}){0,4})"
VERSION = r"(?P<version>\d{1,6}(?:\.\d{1,6}){0,3})"
BEFORE = re.compile(NAME + r"-" + VERSION + r"\.(?:so|dll|dylib|jar|aar|framework)", re.IGNORECASE | re.ASCII)
BEHIND = re.compile(NAME + r"\.so\." + VERSION, re.IGNORECASE | re.ASCII)
LONGEST = 200


@dataclass(frozen=True, slots=True, order=True)
class Framework:
    """`path` is the first file that says it."""

    name: str
    version: str
    path: str


def frameworks_in(paths: Iterable[str]) -> list[Framework]:
    """Each name and version once, in their order."""
    found: dict[tuple[str, str], str] = {}
    for path in paths:
        for part in path.split("/"):
            match = len(part) <= LONGEST and (BEFORE.fullmatch(part) or BEHIND.fullmatch(part))
            if match:
                found.setdefault((match["name"].lower(), match["version"]), path)
    return sorted(Framework(name, version, path) for (name, version), path in found.items())


def older(version: str, lowest: str) -> bool:
    """By their numbers, part by part; 2 is 2.0."""
    return _parts(version) < _parts(lowest)


def _parts(version: str) -> list[int]:
    parts = [int(part) for part in version.split(".")]
    while parts and not parts[-1]:
        parts.pop()
    return parts
