"""Packing again what is left of packs of which little is needed. The old packs go by the usual two phases."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from blake3 import blake3
from sqlalchemy import delete, select, update
from sqlalchemy.dialects.postgresql import insert

from rampa.core.content.pack.pack import PackWriter
from rampa.core.content.tree.tree import Chunk as Piece
from rampa.db import ChunkRow, FrameRow, PackRow, store_state
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.content.arrival import PACK_LIMIT, check_pack, locate
from rampa.operations.content.reframe import new_frames
from rampa.operations.store.needed import needed_chunks
from rampa.schema import store as wire

HALF = 0.5


@dataclass(frozen=True)
class _Sparse:
    """A pack of which `live` stored bytes of `size` are needed."""

    digest: bytes
    size: int
    live: int
    chunks: tuple[Piece, ...]


def preview(services: Services, share: float = HALF) -> wire.RepackOut:
    """Packs of which at most `share` is needed, and what packing them again would free. Changes nothing."""
    with begin(services) as uow:
        return _out(_sparse(uow, share), 0, 0)


def repack(services: Services, actor: Actor, share: float = HALF) -> wire.RepackOut:
    """Writes new packs first, then moves the rows: whoever reads meanwhile finds the old ones."""
    with begin(services, actor) as uow:
        sparse = _sparse(uow, share)
        places = locate(uow, [c.digest for s in sparse for c in s.chunks])
    made = size = 0
    writer = PackWriter()
    for frame in new_frames(services, [c for s in sparse for c in s.chunks], places):
        writer.add(frame.chunks, frame.stored)
        if writer.full():
            size, made = size + _keep(services, writer), made + 1
            writer = PackWriter()
    if writer.size:
        size, made = size + _keep(services, writer), made + 1
    with begin(services, actor) as uow:
        # Dead chunks of those packs are in nobody's way, but would keep the old packs from being found idle.
        live = {c.digest for s in sparse for c in s.chunks}
        for pack in sparse:
            frames = select(FrameRow.id).where(FrameRow.pack_digest == pack.digest)
            dead = set(uow.session.scalars(select(ChunkRow.digest).where(ChunkRow.frame_id.in_(frames)))) - live
            uow.session.execute(delete(ChunkRow).where(ChunkRow.digest.in_(dead)))
        if sparse:
            audit.record(uow, "store.repack", "store", "", packs=len(sparse), made=made)
        return _out(sparse, made, size)


def _keep(services: Services, writer: PackWriter) -> int:
    """The pack written and checked, then its chunks' rows moved to it, in one transaction."""
    data = writer.finish()
    digest = blake3(data).digest()
    frames = []
    services.store.put_pack(digest, [data], PACK_LIMIT, lambda path, n: frames.extend(check_pack(path, n)))
    with begin(services) as uow:
        row = insert(PackRow).values(digest=digest, size=len(data), created_at=services.now()).on_conflict_do_nothing()
        if uow.session.scalar(row.returning(PackRow.digest)) is None:
            return len(data)  # an earlier, interrupted run made this pack and moved its rows
        for frame in frames:
            made = FrameRow(pack_digest=digest, offset=frame.offset, stored=frame.stored, raw=frame.raw)
            uow.session.add(made)
            uow.session.flush()
            at = 0
            for chunk in frame.chunks:
                uow.session.execute(
                    update(ChunkRow).where(ChunkRow.digest == chunk.digest).values(frame_id=made.id, at=at)
                )
                at += chunk.size
        # Readers keep places in memory; a new epoch tells them to ask again.
        store_state(uow.session, lock=True).epoch += 1
    return len(data)


def _sparse(uow: UnitOfWork, share: float) -> list[_Sparse]:
    needed = needed_chunks(uow)
    sizes = dict(uow.session.execute(select(PackRow.digest, PackRow.size)).all())
    live: dict[bytes, float] = defaultdict(float)
    alive: dict[bytes, list[Piece]] = defaultdict(list)
    columns = (ChunkRow.digest, ChunkRow.size, FrameRow.pack_digest, FrameRow.stored, FrameRow.raw)
    # Encrypted packs are left as they are: what is in them belongs to keys of several builds.
    rows = select(*columns).join(FrameRow, FrameRow.id == ChunkRow.frame_id).where(FrameRow.key.is_(None))
    for digest, size, pack, stored, raw in uow.session.execute(rows):
        if digest in needed:
            live[pack] += stored * size / raw
            alive[pack].append(Piece(digest, size))
    return [_Sparse(d, sizes[d], int(live[d]), tuple(alive[d])) for d in sorted(alive) if live[d] <= share * sizes[d]]


def _out(sparse: list[_Sparse], made: int, size: int) -> wire.RepackOut:
    whole, live = sum(s.size for s in sparse), sum(s.live for s in sparse)
    return wire.RepackOut(packs=len(sparse), size=whole, live=live, frees=whole - live, made=made, made_size=size)
