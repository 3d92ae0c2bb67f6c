"""Baked content: its record (`baked.json`), and whether it is as new as its sources and good enough.

A toolchain that bakes content leaves a record beside it: which file was made of which sources, by their SHA-256, at which
quality. docs/formats.md has the format.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from pathlib import Path

from rampa.core.content.tree.paths import path_problem
from rampa.core.errors import Damaged

NAME = "baked.json"
FORMAT = "rampa-baked"
VERSION = 1
QUALITIES = ("preview", "full")
LIMIT = 64 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Baked:
    """`sources`: path in the source -> SHA-256 in hexadecimal."""

    path: str
    quality: str
    sources: dict[str, str]


@dataclass(frozen=True, slots=True)
class Stale:
    """A baked file, and the source that changed or is gone since."""

    path: str
    source: str
    gone: bool


def read_record(folder: Path) -> list[Baked]:
    """Empty where there is none. Raises `Damaged`."""
    file = folder / NAME
    if not file.is_file():
        return []
    try:
        if file.stat().st_size > LIMIT:
            raise ValueError("it is too large")
        record = json.loads(file.read_bytes())
        if (record["format"], record["version"]) != (FORMAT, VERSION):
            raise ValueError(f"its format is {record['format']!r}, version {record['version']!r}")
        return [_entry(e) for e in record["files"]]
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise Damaged("baked.damaged", f"the record of baked content cannot be read: {error}", where=NAME) from error


def _entry(entry: dict[str, object]) -> Baked:
    path, quality, sources = entry["path"], entry["quality"], entry["sources"]
    if not isinstance(path, str) or quality not in QUALITIES or not isinstance(sources, dict):
        raise ValueError(f"an entry is not understood ({str(path)[:80]!r})")
    for name in (path, *sources):
        # Paths of a record are looked up below the source: one that leads out would have any file of the machine read.
        problem = path_problem(name)
        if problem:
            raise ValueError(f"{name[:80]!r}: {problem}")
    return Baked(path, str(quality), {str(k): str(v) for k, v in sources.items()})


def find_stale(record: list[Baked], source: Path) -> list[Stale]:
    """Each source is read once."""
    seen: dict[str, str] = {}
    out = []
    for baked in record:
        for name, digest in baked.sources.items():
            if name not in seen:
                seen[name] = _digest(source / name)
            if seen[name] != digest:
                out.append(Stale(baked.path, name, not seen[name]))
    return out


def _digest(file: Path) -> str:
    if not file.is_file():
        return ""
    with file.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()
