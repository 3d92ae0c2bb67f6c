"""Where chunks lie: a chunk may have several copies, for readers of several kinds, plain or encrypted."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from sqlalchemy import select

from rampa.core.content.pack.new_frame import NewFrame
from rampa.core.content.pack.places import ChunkPlaces, FramePlace, PlacesBuilder
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.tree import Chunk
from rampa.core.content.visibility import Visibility
from rampa.db import ChunkRow, FrameRow, LayoutPackRow, PackRow
from rampa.operations.base import Services, UnitOfWork
from rampa.operations.content.arrival import BATCH, batched
from rampa.operations.content.reframe import new_frames

COLUMNS = (
    ChunkRow.digest,
    ChunkRow.size,
    ChunkRow.at,
    FrameRow.pack_digest,
    FrameRow.offset,
    FrameRow.stored,
    FrameRow.raw,
    FrameRow.key,
    PackRow.visibility,
    PackRow.for_players,
)


class Copy(NamedTuple):
    """One of a chunk of `size` bytes, `at` an offset in its frame's content."""

    digest: bytes
    size: int
    at: int
    frame: FramePlace
    visibility: Visibility
    for_players: bool
    """In a large frame, among what is downloaded with it."""

    @property
    def plain(self) -> bool:
        return not self.frame.key


def copies_of(uow: UnitOfWork, digests: Iterable[bytes]) -> Iterator[dict[bytes, list[Copy]]]:
    """All copies, in batches, of packs for players only where there is no other one; chunks that are not recorded are left
    out."""
    for found in _all_copies(uow, digests):
        yield {d: [c for c in copies if not c.for_players] or copies for d, copies in found.items()}


def _all_copies(uow: UnitOfWork, digests: Iterable[bytes]) -> Iterator[dict[bytes, list[Copy]]]:
    for batch in batched(digests, BATCH):
        rows = select(*COLUMNS).join(FrameRow, FrameRow.id == ChunkRow.frame_id)
        rows = rows.join(PackRow, PackRow.digest == FrameRow.pack_digest).where(ChunkRow.digest.in_(batch))
        found: dict[bytes, list[Copy]] = defaultdict(list)
        for digest, size, at, pack, offset, stored, raw, key, visibility, players in uow.session.execute(rows):
            place = FramePlace(pack, offset, stored, raw, key or b"")
            found[digest].append(Copy(digest, size, at, place, visibility, players))
        yield found


def locate(uow: UnitOfWork, digests: Iterable[bytes], least: Visibility = Visibility.SOURCE) -> ChunkPlaces:
    """Where chunks lie for who may read packs of `least` and above; those that are not there are left out."""
    found = PlacesBuilder()
    for copies in _all_copies(uow, digests):
        for digest, all_of_it in copies.items():
            best = min((c for c in all_of_it if c.visibility >= least), key=_rank, default=None)
            if best is not None:
                found.add(digest, best.frame, best.at)
    return found.places()


def needed_copies(uow: UnitOfWork, digests: Iterable[bytes]) -> Iterator[Copy]:
    """All but those that nobody is sent to any more: a plain one serves whoever may read packs above it, too."""
    for copies in copies_of(uow, digests):
        for all_of_it in copies.values():
            highest = max((c.visibility for c in all_of_it if c.plain), default=Visibility.SOURCE)
            yield from (c for c in all_of_it if not c.plain or c.visibility == highest)


def frames_of(services: Services, copies: Iterable[Copy]) -> Iterator[NewFrame]:
    """The content of these copies, which must be plain and each of another chunk, for new packs."""
    wanted = list(copies)
    places = {c.digest: (c.frame, c.at) for c in wanted}
    return new_frames(services, [Chunk(c.digest, c.size) for c in wanted], places)


def locate_for_players(
    uow: UnitOfWork, layout: uuid.UUID, digests: Digests, least: Visibility, plain_only: bool
) -> ChunkPlaces:
    """Where these chunks lie in the packs for players of the build `layout`; those that are not there are left out."""
    rows = select(*COLUMNS).join(FrameRow, FrameRow.id == ChunkRow.frame_id)
    rows = rows.join(PackRow, PackRow.digest == FrameRow.pack_digest)
    rows = rows.join(LayoutPackRow, LayoutPackRow.pack_digest == PackRow.digest)
    rows = rows.where(LayoutPackRow.build_id == layout, PackRow.visibility >= least)
    if plain_only:
        rows = rows.where(FrameRow.key.is_(None))
    every = uow.session.execute(rows.order_by(FrameRow.id, ChunkRow.at)).all()
    found = PlacesBuilder()
    wanted = digests.find_all(Digests.of(row.digest for row in every)) >= 0
    for row, is_wanted in zip(every, wanted.tolist(), strict=True):
        if is_wanted:
            found.add(row.digest, FramePlace(row.pack_digest, row.offset, row.stored, row.raw, row.key or b""), row.at)
    return found.places()


def _rank(copy: Copy) -> tuple[bool, bool, int, FramePlace]:
    """Small frames first. Then plain: it takes no key. Then what most may read: a cache on the way serves them all."""
    return copy.for_players, not copy.plain, -copy.visibility, copy.frame
