"""Which stretches of a new build are worth making from which stretches of an old one.

A stretch is a run of whole chunks, so whatever a difference makes is checked chunk by chunk like everything else.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate

import numpy as np

from rampa.core.content.tree.columns import Digests, view
from rampa.core.content.tree.regions import local_content, uses_of
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree

Resembling = Callable[[Sequence[FileEntry]], Mapping[str, FileEntry]]
"""New files -> by their paths, the old files that they resemble."""
NEW_WINDOW = 16 * 1024 * 1024
OLD_WINDOW = 32 * 1024 * 1024
"""Bytes of new and old content that one difference spans: memory is bounded by them, not by a file's size."""
WHOLE = 32 * 1024 * 1024
"""Programs up to this size are taken whole: the map of addresses is better the more it sees."""
JOIN = 256 * 1024
"""Stretches of one file that are nearer than this are taken together."""
MARGIN = 64 * 1024
GROUP = 4 * 1024 * 1024
"""Small stretches of several files share a difference of about so many bytes of new content."""


@dataclass(frozen=True, slots=True)
class Region:
    """`size` bytes at `offset` of an old file."""

    path: str
    offset: int
    size: int


@dataclass(frozen=True)
class Stretch:
    """Chunks of a new file, one behind the other from `offset`, and the old region that they resemble (None: nothing does)."""

    path: str
    offset: int
    chunks: Sequence[Chunk]
    old: Region | None

    @property
    def size(self) -> int:
        return sum(c.size for c in self.chunks)


def counterparts(old: Tree, files: Iterable[FileEntry], resembling: Resembling | None = None) -> dict[str, FileEntry]:
    """New path -> the old file that it comes from: the same path, else the most shared chunks, else what it resembles, else the
    same name but for numbers, or the same last name."""
    out: dict[str, FileEntry] = {}
    left = []
    for file in files:
        same = old.files.find(file.path)
        if same:
            out[file.path] = same
        else:
            left.append(file)
    # Most files keep their path; the look-up by content costs a pass over the old tree, and is only for the rest.
    if not left:
        return out
    have = local_content(old)
    for f in left:
        held = have.find_chunks(Digests.of(c.digest for c in f.chunks))
        shared = Counter(have.file[held[held >= 0]].tolist())
        if shared:
            out[f.path] = old.files[shared.most_common(1)[0][0]]
    left = [f for f in left if f.path not in out]
    if resembling and left:
        out.update(resembling(left))
        left = [f for f in left if f.path not in out]
    by_name = _by_name(old, {n for f in left for n in _names(f.path)})
    for f in left:
        names = [by_name[n] for n in _names(f.path) if n in by_name]
        if names:
            out[f.path] = old.files[names[0]]
    return out


def _by_name(old: Tree, wanted: set[str]) -> dict[str, int]:
    """The first file for each of these names."""
    found: dict[str, int] = {}
    for i, path in enumerate(old.files.paths):
        for name in _names(path):
            if name in wanted:
                found.setdefault(name, i)
    return found


def _names(path: str) -> tuple[str, str]:
    # The name without numbers first: fog-1.4.arc comes from fog-1.3.arc rather than from another folder's file of one
    # name.
    return _without_numbers(path), path.rpartition("/")[2]


def stretches(old: Tree, new: Tree, missing: set[bytes], resembling: Resembling | None = None) -> Iterator[Stretch]:
    """The stretches of `new` that hold all `missing` chunks, each chunk once, in file order. `resembling` looks into files where
    names and chunks do not tell what they come from."""
    lacking = np.flatnonzero(np.fromiter((d in missing for d in new.chunks.digests), dtype=bool))
    file, _ = uses_of(new)
    changed = [new.files[i] for i in np.unique(file[np.isin(view(new.files.numbers), lacking)]).tolist()]
    origin = counterparts(old, changed, resembling)
    left = set(missing)
    for entry in changed:
        if not left.isdisjoint(c.digest for c in entry.chunks):
            yield from _of_file(entry, origin.get(entry.path), left)
            # A chunk that another file brings already must not be made twice.
            left.difference_update(c.digest for c in entry.chunks)


def _of_file(file: FileEntry, old: FileEntry | None, left: set[bytes]) -> Iterator[Stretch]:
    # One map of the file's chunks for all its stretches.
    places = _old_places(old) if old else {}
    starts = [0, *accumulate(c.size for c in file.chunks)]
    for first, last in _runs(file, left):
        for a, b in _windows(file, first, last):
            start = starts[a]
            chunks = file.chunks[a:b]
            region = _region(file, old, places, a, b, start) if old and old.size else None
            yield Stretch(file.path, start, chunks, region)


def _old_places(old: FileEntry) -> dict[bytes, int]:
    places: dict[bytes, int] = {}
    at = 0
    for c in old.chunks:
        places.setdefault(c.digest, at)
        at += c.size
    return places


def _runs(file: FileEntry, left: set[bytes]) -> list[tuple[int, int]]:
    """[first, last) of the wanted chunks, near ones joined; a small file is one run."""
    runs: list[tuple[int, int]] = []
    # So that the first run of a file never joins one before it.
    gap = JOIN
    for i, c in enumerate(file.chunks):
        if c.digest not in left:
            gap += c.size
        elif runs and (gap < JOIN or file.size <= 2 * JOIN):
            runs[-1] = (runs[-1][0], i + 1)
            gap = 0
        else:
            runs.append((i, i + 1))
            gap = 0
    return runs


def _windows(file: FileEntry, first: int, last: int) -> Iterator[tuple[int, int]]:
    limit = WHOLE if sum(c.size for c in file.chunks[first:last]) <= WHOLE else NEW_WINDOW
    start, size = first, 0
    for i in range(first, last):
        if size and size + file.chunks[i].size > limit:
            yield start, i
            start, size = i, 0
        size += file.chunks[i].size
    yield start, last


def _region(
    file: FileEntry, old: FileEntry, places: dict[bytes, int], first: int, last: int, start: int
) -> Region | None:
    """Between the nearest chunks on both sides that the old file has too, at most a window of it."""
    size = sum(c.size for c in file.chunks[first:last])
    low, high = 0, old.size
    for c in reversed(file.chunks[:first]):
        if c.digest in places:
            low = places[c.digest] + c.size
            break
    for c in file.chunks[last:]:
        if c.digest in places:
            high = places[c.digest]
            break
    # Parts of the file changed their order: the neighbours say nothing, so look everywhere.
    if low > high:
        low, high = 0, old.size
    low, high = max(0, low - MARGIN), min(old.size, high + MARGIN)
    # Too much to hold: the part of it that lies, in proportion, where the new stretch does.
    if high - low > OLD_WINDOW:
        middle = low + (high - low) * (start + size // 2) // max(1, file.size) if low == 0 else start + size // 2
        low = max(low, min(middle - OLD_WINDOW // 2, high - OLD_WINDOW))
        high = min(high, low + OLD_WINDOW)
    return Region(old.path, low, high - low) if high > low else None


def _without_numbers(path: str) -> str:
    return re.sub(r"\d+", "#", path)
