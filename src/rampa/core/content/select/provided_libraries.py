"""Provided libraries: the shared libraries that programs name in their headers, and that nothing brings."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from rampa.core import parallel
from rampa.core.binaries import program
from rampa.core.binaries.read_at import of_descriptor
from rampa.core.content.select.selection import Selection
from rampa.core.content.tree.chosen_files import Selected
from rampa.core.platform.provided_libraries import provided
from rampa.core.quantity import counted


@dataclass(frozen=True, slots=True)
class Lacking:
    """`path` needs `name`, which neither the build nor the platform has."""

    path: str
    name: str


def lacking(selection: Selection, platform: str, also: tuple[str, ...] = ()) -> list[Lacking]:
    """What the programs of a selection need and nobody brings, sorted."""
    has = {_folded(platform, path.rpartition("/")[2]) for path in selection.files.paths}
    # Links count as brought: libfog.so points at libfog.so.3, and the loader asks for either.
    has |= {_folded(platform, path.rpartition("/")[2]) for path, _ in selection.links}
    out = []
    with parallel.pool() as threads:
        for file, names in parallel.in_order(
            threads, lambda f: (f, _needs(selection.root, f)), selection.files, ahead=256
        ):
            out += [
                Lacking(file.path, n)
                for n in names
                if _folded(platform, n.rpartition("/")[2]) not in has and not provided(platform, n, also)
            ]
    return sorted(set(out), key=lambda x: (x.path, x.name))


def by_library(found: Iterable[Lacking]) -> dict[str, list[str]]:
    """Library -> the files that need it, the first of them first: one library is one thing to do, however many need it."""
    needing: dict[str, list[str]] = {}
    for one in found:
        needing.setdefault(one.name, []).append(one.path)
    return needing


def lacking_sentence(name: str, paths: list[str], platform: str) -> str:
    more = f" and {counted(len(paths) - 1, 'more file')} need" if len(paths) > 1 else " needs"
    return f"{paths[0]}{more} {name}, which neither the build nor {platform} has"


def _folded(platform: str, name: str) -> str:
    # Names in import tables differ in case from the files there, and the loader does not mind.
    return name.lower() if platform == "windows" else name


def _needs(root: Path, file: Selected) -> list[str]:
    # 64 bytes: the smallest header of a program. Most files of a title are larger, the many small ones need no
    # opening.
    return needed(root / file.disk) if file.size >= 64 else []


def needed(path: Path) -> list[str]:
    """The libraries that a program names; none for what is not a program."""
    try:
        fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError:
        return []
    try:
        return program.needed(of_descriptor(fd))
    finally:
        os.close(fd)
