"""All differences of one update: made, verified by applying them, kept only where they are smaller than plain chunks.

The payloads lie one behind the other in a file of its own, which is delivered by ranges like a pack.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from blake3 import blake3

from rampa.core import parallel
from rampa.core.ambient import Clock
from rampa.core.binaries.segments import HEAD, read_image
from rampa.core.content.patch import format as difference_format
from rampa.core.content.patch import maker
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.locations import Locations
from rampa.core.content.patch.pairs import GROUP, Stretch, stretches
from rampa.core.content.patch.resemblance import find_resembling
from rampa.core.content.tree.columns import column, view
from rampa.core.content.tree.tree import Chunks, FileEntry, Tree
from rampa.core.errors import Damaged

READ = Callable[[str, int, int], bytes]
"""(path, offset, size) -> the content of a file of a build."""
WORTH = 0.95
"""A difference is kept when it takes at most this share of what its chunks would take as plain frames."""


@dataclass(frozen=True)
class Budget:
    """What making all differences of a build may take: seconds of wall time, bytes kept. 0 means that none are made."""

    seconds: float = 1800.0
    size: int = 2 * 1024 * 1024 * 1024
    devices: int = 1
    """Builds that fewer devices have get none of their own; chains of others' serve them."""


@dataclass
class MadeSet:
    """`places` name no pack yet: their offsets count in the payloads' concatenation."""

    places: list[DifferencePlace] = field(default_factory=list)
    size: int = 0
    groups: int = 0
    tried: int = 0
    seconds: float = 0.0
    out_of_budget: bool = False


@dataclass(frozen=True)
class _Group:
    """What one difference will make, and of what."""

    stretches: tuple[Stretch, ...]
    plain: int


def missing_chunks(old: Tree, new: Tree) -> Chunks:
    """Chunks of `new` that `old` does not hold."""
    gone = np.flatnonzero(old.chunks.digests.find_all(new.chunks.digests) < 0)
    return Chunks(new.chunks.digests.take(gone), column("I", view(new.chunks.sizes)[gone]))


def make_set(
    old: Tree,
    new: Tree,
    read_old: READ,
    read_new: READ,
    locations: Locations,
    keep: Callable[[bytes], None],
    clock: Clock,
    budget: Budget = Budget(),
    workers: int = parallel.WORKERS,
) -> MadeSet:
    """Makes what pays, the most promising first, hands each payload to `keep` in order, and says where each lies."""
    started = clock.seconds()
    missing = missing_chunks(old, new)
    # What the chunks take as plain frames is what a difference has to beat; shared frames count by their share.
    shares = {c.digest: locations.chunks[c.digest][0].share(c.size) for c in missing}
    found = list(
        stretches(old, new, set(missing.digests), lambda files: _resembling(files, old, new, read_new, read_old))
    )
    made = MadeSet()
    groups = list(_groups([s for s in found if s.old], read_new, shares))
    # What saves most comes first: the budget may end before the list does.
    groups.sort(key=lambda g: -g.plain)
    made.groups = len(groups)

    def enough() -> bool:
        made.out_of_budget |= clock.seconds() - started > budget.seconds or made.size > budget.size
        return made.out_of_budget

    def one(group: _Group) -> tuple[_Group, tuple[bytes, DifferencePlace] | None]:
        # A thread asks, too: by the time a group's turn comes, the time can be over.
        if clock.seconds() - started > budget.seconds:
            return group, None
        return group, _difference(group, read_old, read_new)

    def take(work: Iterable[_Group]) -> None:
        for group, result in parallel.in_order(threads, one, work, ahead=workers):
            made.tried += 1
            if enough():
                break
            if result and len(result[0]) <= group.plain * WORTH:
                payload, place = result
                keep(payload)
                made.places.append(place.moved(made.size))
                made.size += len(payload)

    with parallel.pool(workers) as threads:
        take(groups)
        covered = {c.digest for p in made.places for c in p.new}
        take(_repacked(found, covered, locations))
    made.seconds = clock.seconds() - started
    return made


def _resembling(
    files: Sequence[FileEntry], old: Tree, new: Tree, read_new: READ, read_old: READ
) -> dict[str, FileEntry]:
    # What kept its place and its content is rather copied than renamed.
    changed = [f for f in old.files if (there := new.files.find(f.path)) is None or there.digest != f.digest]
    return find_resembling(files, changed, read_new, read_old)


def _groups(found: list[Stretch], read_new: READ, shares: dict[bytes, int]) -> Iterator[_Group]:
    """Programs and large stretches alone, small ones together in file order."""
    waiting: list[Stretch] = []
    size = 0
    for s in found:
        # A program's map of addresses covers one file: with others in the same difference it would not fit.
        if s.size > GROUP // 4 or read_image(read_new(s.path, 0, HEAD)):
            yield _group([s], shares)
            continue
        assert s.old is not None
        if waiting and size + s.size > GROUP:
            yield _group(waiting, shares)
            waiting, size = [], 0
        waiting.append(s)
        size += s.size
    if waiting:
        yield _group(waiting, shares)


def _group(stretches: list[Stretch], shares: dict[bytes, int]) -> _Group:
    return _Group(tuple(stretches), sum(shares.get(d, 0) for d in {c.digest for s in stretches for c in s.chunks}))


def _difference(group: _Group, read_old: READ, read_new: READ) -> tuple[bytes, DifferencePlace] | None:
    regions = tuple(dict.fromkeys(s.old for s in group.stretches if s.old))
    old = b"".join(read_old(r.path, r.offset, r.size) for r in regions)
    new = b"".join(read_new(s.path, s.offset, s.size) for s in group.stretches)
    chunks = tuple(c for s in group.stretches for c in s.chunks)
    if len(group.stretches) == 1 and regions:
        stretch, region = group.stretches[0], regions[0]
        payload = maker.make(
            old,
            new,
            old_head=read_old(region.path, 0, HEAD),
            new_head=read_new(stretch.path, 0, HEAD),
            old_start=region.offset,
            new_start=stretch.offset,
            dense=True,
        )
    else:
        # Several files have no one program: no map of addresses, only bytes.
        payload = maker.make(old, new, old_head=b"", new_head=b"", dense=True)
    # Made once, applied on millions of devices: one look here costs nothing beside a wrong one there.
    if maker.apply(payload, old, len(new)) != new:
        raise Damaged(
            "difference.wrong", "a difference does not make what it was made for", where=group.stretches[0].path
        )
    dense = difference_format.is_dense(payload)
    return payload, DifferencePlace(b"", 0, len(payload), blake3(old).digest(), regions, chunks, dense=dense)


def _repacked(found: list[Stretch], covered: set[bytes], locations: Locations) -> Iterator[_Group]:
    """Chunks that no difference makes, packed again by themselves: better than when they were sent, and without the others of
    their frames."""
    seen = set(covered)
    waiting: list[Stretch] = []
    size = 0
    for s in found:
        at = s.offset
        for c in s.chunks:
            if c.digest not in seen:
                seen.add(c.digest)
                waiting.append(Stretch(s.path, at, (c,), None))
                size += c.size
                if size > GROUP:
                    yield _frames_of(waiting, locations)
                    waiting, size = [], 0
            at += c.size
    if waiting:
        yield _frames_of(waiting, locations)


def _frames_of(stretches: list[Stretch], locations: Locations) -> _Group:
    frames = {locations.chunks[s.chunks[0].digest][0] for s in stretches}
    return _Group(tuple(stretches), sum(f.stored for f in frames))
