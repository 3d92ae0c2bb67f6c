"""Packing again what is left of packs of which little is needed. The old packs go by the usual two phases."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from sqlalchemy import delete, select

from rampa.core.content.visibility import Visibility
from rampa.db import ChunkRow, FrameRow, PackRow, store_state
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.content.copies import Copy, frames_of, needed_copies
from rampa.operations.content.packing import by_pack, write_pack
from rampa.operations.store.needed import needed_chunks
from rampa.schema import store as wire

HALF = 0.5


@dataclass(frozen=True)
class _Sparse:
    """A pack of which `live` stored bytes of `size` are needed."""

    digest: bytes
    size: int
    live: int
    visibility: Visibility
    copies: tuple[Copy, ...]


def preview(services: Services, share: float = HALF) -> wire.RepackOut:
    """Packs of which at most `share` is needed, and what packing them again would free. Changes nothing."""
    with begin(services) as uow:
        return _out(_sparse(uow, share), 0, 0)


def repack(services: Services, actor: Actor, share: float = HALF) -> wire.RepackOut:
    """Writes new packs first, then forgets what the old ones held: whoever reads meanwhile finds those."""
    with begin(services, actor) as uow:
        sparse = _sparse(uow, share)
    made: list[tuple[bytes, int]] = []
    # Each kind of readers by itself: what lies together is read together.
    for visibility in Visibility:
        copies = {c.digest: c for s in sparse if s.visibility is visibility for c in s.copies}
        for frames in by_pack(frames_of(services, copies.values())):
            with begin(services) as uow:
                made.append(write_pack(uow, frames, visibility))
    with begin(services, actor) as uow:
        for pack in sparse:
            # Also what is dead in it: a row that is left would keep the old pack from being found idle.
            inside = select(FrameRow.id).where(FrameRow.pack_digest == pack.digest)
            uow.session.execute(delete(ChunkRow).where(ChunkRow.frame_id.in_(inside)))
        if sparse:
            store_state(uow.session, lock=True).epoch += 1
            audit.record(uow, "store.repack", "store", "", packs=len(sparse), made=len(made))
        return _out(sparse, len(made), sum(size for _, size in made))


def _sparse(uow: UnitOfWork, share: float) -> list[_Sparse]:
    live: dict[bytes, list[Copy]] = defaultdict(list)
    for copy in needed_copies(uow, needed_chunks(uow)):
        # Encrypted packs are left as they are: what is in them belongs to keys of several builds.
        if copy.plain:
            live[copy.frame.pack].append(copy)
    # What only past builds have is laid out otherwise: operations/store/past.
    rows = select(PackRow.digest, PackRow.size, PackRow.visibility).where(PackRow.past.is_(False))
    packs = {digest: (size, visibility) for digest, size, visibility in uow.session.execute(rows)}
    found = []
    for digest, copies in sorted((d, c) for d, c in live.items() if d in packs):
        size, visibility = packs[digest]
        stored = sum(c.frame.stored * c.size / c.frame.raw for c in copies)
        if stored <= share * size:
            found.append(_Sparse(digest, size, int(stored), visibility, tuple(copies)))
    return found


def _out(sparse: list[_Sparse], made: int, size: int) -> wire.RepackOut:
    whole, live = sum(s.size for s in sparse), sum(s.live for s in sparse)
    return wire.RepackOut(packs=len(sparse), size=whole, live=live, frees=whole - live, made=made, made_size=size)
