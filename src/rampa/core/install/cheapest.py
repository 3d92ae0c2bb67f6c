"""Which of the places that a chunk can be had from bring what is missing in the fewest bytes.

Small frames hold little that is not wanted, frames made for players hold much in few bytes, and differences make chunks of
what is there. Whichever is taken is paid for whole, so this is a set cover: the greedy one, by bytes a new byte, from several
beginnings, and the best of what they come to. The same chunks missing give the same answer on a device and in the service.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from rampa.core.content.pack.places import ChunkPlaces, FramePlace, lacking
from rampa.core.content.patch.difference_place import DifferencePlace, Source
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.columns import Digests, Numbers, view
from rampa.core.install.aside import rounds

REQUEST_LIMIT = 4 * 1024 * 1024
"""Neighbouring frames are fetched with one request up to this many bytes."""
PART = 1024 * 1024
"""A frame above this size comes in parts, and is opened meanwhile."""


@dataclass(frozen=True)
class Request:
    """Neighbouring frames of one pack, for one ranged GET; a large frame by itself takes several."""

    pack: bytes
    offset: int
    size: int
    frames: tuple[FramePlace, ...]

    @property
    def parts(self) -> list[tuple[int, int]]:
        """(offset, size) of each GET."""
        most = PART if len(self.frames) == 1 else REQUEST_LIMIT
        end = self.offset + self.size
        return [(at, min(most, end - at)) for at in range(self.offset, end, most)]


@dataclass(frozen=True)
class Taken:
    """Chunks out of one frame, by their place in what was wanted, in the order in which they lie; `at` are their offsets."""

    frame: FramePlace
    chunks: Numbers
    at: Numbers


@dataclass(frozen=True)
class Supply:
    differences: tuple[DifferencePlace, ...]
    frames: tuple[Taken, ...]
    """In the order of the packs."""
    requests: tuple[Request, ...]

    @property
    def size(self) -> int:
        """Bytes that travel."""
        return sum(d.stored for d in self.differences) + sum(r.size for r in self.requests)

    @property
    def gets(self) -> int:
        """How many times something is asked for."""
        return len(self.differences) + sum(len(r.parts) for r in self.requests)


@dataclass(frozen=True)
class _Item:
    """Something that can be taken: `members` of what is wanted, for `cost` bytes."""

    cost: float
    members: Numbers
    at: Numbers
    what: FramePlace | tuple[DifferencePlace, ...]


def supply(wanted: Digests, sizes: Numbers, locations: Locations, differences: bool = True) -> Supply:
    """`sizes` in bytes, one for each wanted chunk. Raises `Unavailable` for a chunk that lies nowhere."""
    made = _differences(wanted, locations) if differences else []
    small, large = (
        _frames(wanted, locations.chunks, locations.price),
        _frames(wanted, locations.delivery, locations.price),
    )
    covered = np.zeros(len(wanted), dtype=bool)
    for item in (*small, *large, *made):
        covered[item.members] = True
    if not covered.all():
        raise lacking(wanted[int(np.flatnonzero(~covered)[0])])
    found = [_supply(_cover(sizes, parts), len(wanted)) for parts in _beginnings(made, small, large)]
    return min(found, key=lambda s: s.size + locations.price * s.gets)


def _beginnings(made: list[_Item], small: list[_Item], large: list[_Item]) -> Iterator[list[list[_Item]]]:
    """What is looked at together, and what only for the rest."""
    yield [[*made, *small, *large]]
    if made or large:
        # Small frames alone are never more than they would be if nothing else was there.
        yield [small, large, made]
    if large:
        yield [large, small, made]
        yield [[*made, *large], small]
        yield [[*made, *small], large]


def _differences(wanted: Digests, locations: Locations) -> list[_Item]:
    """One at a time, but for those of a chain: whatever starts from the same content is taken together or not at all."""
    brings: dict[Source, Numbers] = {}
    for place in locations.differences:
        members = wanted.find_all(Digests.of(c.digest for c in place.new))
        brings[place.source] = np.unique(members[members >= 0])
    out = []
    for places in _together(locations.differences, {s for s, members in brings.items() if len(members)}):
        members = np.unique(np.concatenate([brings[p.source] for p in places]))
        out.append(_Item(sum(p.stored + locations.price for p in places), members, members, places))
    return out


def _together(places: Sequence[DifferencePlace], wanted: set[Source]) -> list[tuple[DifferencePlace, ...]]:
    """Those that are wanted with all that they start from; sources come first."""
    used, parent = set(wanted), {p.source: p.source for p in places}

    def top(source: Source) -> Source:
        while parent[source] != source:
            parent[source] = source = parent[parent[source]]
        return source

    for place in reversed(places):
        if place.source in used:
            used |= place.sources
            for source in place.sources & parent.keys():
                parent[top(source)] = top(place.source)
    groups: dict[Source, list[DifferencePlace]] = {}
    for place in places:
        if place.source in used:
            groups.setdefault(top(place.source), []).append(place)
    return [tuple(group) for group in groups.values()]


def _frames(wanted: Digests, places: ChunkPlaces, price: int) -> list[_Item]:
    rows = places.digests.find_all(wanted)
    members = np.flatnonzero(rows >= 0)
    if not len(members):
        return []
    frame, at = view(places.frame)[rows[members]], view(places.at)[rows[members]].astype(np.int64)
    order = np.lexsort((at, frame))
    members, at, frame = members[order], at[order], frame[order]
    used, first = np.unique(frame, return_index=True)
    frames = [places.frames[f] for f in used.tolist()]
    # Neighbours share a request: what a frame adds to the number of requests is known only for all of them together.
    each = price * sum(len(r.parts) for r in requests_for(sorted(frames))) / len(frames)
    ends = np.append(first, len(members))[1:]
    # Sorted, since the first of two that cost alike is taken: who was told of them in another order must come to the same.
    spans = sorted(zip(frames, first.tolist(), ends.tolist(), strict=True), key=lambda span: span[0])
    return [_Item(f.stored + each, members[a:b], at[a:b], f) for f, a, b in spans]


def _cover(sizes: Numbers, parts: Sequence[Sequence[_Item]]) -> list[_Item]:
    """Items that hold everything: of each part those that bring a new byte for the least, then the next part; none too many."""
    left = np.ones(len(sizes), dtype=bool)
    taken: list[_Item] = []
    for items in parts:
        queue = [(item.cost / max(1, int(sizes[item.members].sum())), number) for number, item in enumerate(items)]
        heapq.heapify(queue)
        while queue:
            _, number = heapq.heappop(queue)
            item = items[number]
            new = int(sizes[item.members[left[item.members]]].sum())
            if not new:
                continue
            # It was worth more when it was put there: others have brought some of it since.
            now = item.cost / new
            if queue and now > queue[0][0]:
                heapq.heappush(queue, (now, number))
                continue
            left[item.members] = False
            taken.append(item)
    return _needed(taken, len(sizes))


def _needed(taken: list[_Item], count: int) -> list[_Item]:
    times = np.zeros(count, dtype=np.int64)
    for item in taken:
        times[item.members] += 1
    kept = []
    for item in sorted(taken, key=lambda i: -i.cost):
        if bool((times[item.members] > 1).all()):
            times[item.members] -= 1
        else:
            kept.append(item)
    return kept


def _supply(items: list[_Item], count: int) -> Supply:
    left = np.ones(count, dtype=bool)
    taken: list[DifferencePlace] = []
    for item in items:
        if not isinstance(item.what, FramePlace):
            left[item.members] = False
            taken += item.what
    frames = []
    for frame, item in sorted((i.what, i) for i in items if isinstance(i.what, FramePlace)):
        mine = left[item.members]
        left[item.members] = False
        if mine.any():
            frames.append(Taken(frame, item.members[mine], item.at[mine]))
    return Supply(tuple(_by_round(taken)), tuple(frames), tuple(requests_for(t.frame for t in frames)))


def _by_round(places: list[DifferencePlace]) -> list[DifferencePlace]:
    """As they lie, but behind what they start from."""
    return [place for each in rounds(places) for place in sorted(each, key=lambda p: p.source)]


def requests_for(frames: Iterable[FramePlace]) -> Iterator[Request]:
    """The ranged requests that bring frames, which come in the order of the packs."""
    run: list[FramePlace] = []
    for frame in frames:
        if run and not _joins(run, frame):
            yield _request(run)
            run = []
        run.append(frame)
    if run:
        yield _request(run)


def _joins(run: list[FramePlace], frame: FramePlace) -> bool:
    last = run[-1]
    size = frame.offset + frame.stored - run[0].offset
    return frame.pack == last.pack and frame.offset == last.offset + last.stored and size <= REQUEST_LIMIT


def _request(run: list[FramePlace]) -> Request:
    return Request(run[0].pack, run[0].offset, sum(f.stored for f in run), tuple(run))
