"""Differences of several updates, one behind the other, as differences against the first one's old build.

A device that has build 1 makes what build 3 needs by way of build 2, of which it only ever holds the pieces that are asked for:
whatever a step starts from is found in build 1, or in what the step before makes.
"""

from __future__ import annotations

import heapq
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import accumulate, pairwise
from typing import TypeVar

from rampa.core.content.patch.difference_place import DifferencePlace, MadeRegion, Source
from rampa.core.content.patch.pairs import Region
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.content.tree.tree import Tree

LONGEST = 24
"""Steps of a chain."""
Build = TypeVar("Build", bound=Hashable)


@dataclass(frozen=True)
class UpdateStep:
    """`differences` make what `new` has and `old` lacks, as far as they go."""

    old: Tree
    new: Tree
    differences: tuple[DifferencePlace, ...]


def route(sets: Mapping[tuple[Build, Build], int], start: Build, end: Build) -> list[tuple[Build, Build]]:
    """The way from `start` to `end` over pairs (old, new) of the fewest bytes; without any there is none, or one too long."""
    onward: dict[Build, list[tuple[Build, int]]] = {}
    for (old, new), size in sets.items():
        onward.setdefault(old, []).append((new, size))
    # The count breaks ties: builds themselves have no order.
    queue, came, count = [(0, 0, start, start)], dict[Build, Build](), 0
    while queue:
        size, _, build, before = heapq.heappop(queue)
        if build in came:
            continue
        came[build] = before
        if build == end:
            break
        for new, more in onward.get(build, ()):
            count += 1
            heapq.heappush(queue, (size + more, count, new, build))
    if end not in came or start == end:
        return []
    way = [end]
    while way[-1] != start:
        way.append(came[way[-1]])
    return list(pairwise(reversed(way))) if len(way) <= LONGEST + 1 else []


def chained(steps: Sequence[UpdateStep]) -> tuple[DifferencePlace, ...]:
    """Only those that what the last step's new build lacks is made with, each behind those that it starts from.

    `steps`, at least one: each one's old build is the new one of the step before.
    """
    making = _Making(local_content(steps[0].old))
    for step in steps:
        for place in step.differences:
            making.add(place, step.old)
    return making.needed(steps[-1].new)


@dataclass
class _Making:
    """What can be made of what the device `has`: chunk -> where, in what some difference makes."""

    has: LocalContent
    made: dict[bytes, MadeRegion] = field(default_factory=dict)
    places: dict[Source, DifferencePlace] = field(default_factory=dict)

    def add(self, place: DifferencePlace, old: Tree) -> None:
        pieces: list[Region | MadeRegion] = []
        for region in place.old:
            # A set starts from files; one that starts from what is made is a chain already.
            found = self._pieces(region, old) if isinstance(region, Region) else None
            if found is None:
                return
            pieces += found
        self.places[place.source] = replace(place, old=tuple(_joined(pieces)))
        for chunk, at in zip(place.new, place.starts, strict=True):
            if self.has.tree.chunks.digests.find(chunk.digest) < 0:
                self.made.setdefault(chunk.digest, MadeRegion(*place.source, at, chunk.size))

    def _pieces(self, region: Region, old: Tree) -> list[Region | MadeRegion] | None:
        """None where some of it can be had from neither."""
        same = self.has.tree.files.find(region.path)
        entry = old.files.find(region.path)
        if entry is None:
            return None
        if same is not None and same.digest == entry.digest:
            return [region]
        out: list[Region | MadeRegion] = []
        ends = list(accumulate(c.size for c in entry.chunks))
        for chunk, end in zip(entry.chunks, ends, strict=True):
            low, high = max(region.offset, end - chunk.size), min(region.offset + region.size, end)
            if low < high:
                found = self._chunk(chunk.digest, low - end + chunk.size, high - low)
                if found is None:
                    return None
                out.append(found)
        return out

    def _chunk(self, digest: bytes, skip: int, size: int) -> Region | MadeRegion | None:
        number = self.has.tree.chunks.digests.find(digest)
        if number >= 0:
            path = self.has.tree.files.paths[int(self.has.file[number])]
            return Region(path, int(self.has.offset[number]) + skip, size)
        made = self.made.get(digest)
        return None if made is None else MadeRegion(*made.source, made.offset + skip, size)

    def needed(self, new: Tree) -> tuple[DifferencePlace, ...]:
        wanted = {d for d in new.chunks.digests if d in self.made}
        left, kept = {self.made[d].source for d in wanted}, set[Source]()
        while left:
            source = left.pop()
            kept.add(source)
            left |= self.places[source].sources - kept
        return tuple(_only(place, wanted) for source, place in self.places.items() if source in kept)


def _only(place: DifferencePlace, wanted: set[bytes]) -> DifferencePlace:
    """The same, of which nobody needs more than the chunks that are wanted: others make no difference to what it costs."""
    rows = [(c, at) for c, at in zip(place.new, place.starts, strict=True) if c.digest in wanted]
    if len(rows) == len(place.new):
        return place
    return replace(place, new=tuple(c for c, _ in rows), at=tuple(at for _, at in rows), size=place.new_size)


def _joined(pieces: Iterable[Region | MadeRegion]) -> Iterator[Region | MadeRegion]:
    """Neighbours of one content as one piece."""
    last: Region | MadeRegion | None = None
    for piece in pieces:
        if last is not None and _of(last) == _of(piece) and last.offset + last.size == piece.offset:
            last = replace(last, size=last.size + piece.size)
            continue
        if last is not None:
            yield last
        last = piece
    if last is not None:
        yield last


def _of(piece: Region | MadeRegion) -> object:
    return piece.source if isinstance(piece, MadeRegion) else piece.path
