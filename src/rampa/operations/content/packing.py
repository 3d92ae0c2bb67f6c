"""New packs of chunks that the store holds already: written whole, then recorded, for readers of one kind."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

from blake3 import blake3
from sqlalchemy.dialects.postgresql import insert

from rampa.core.content.pack.encryption import encrypt
from rampa.core.content.pack.new_frame import NewFrame
from rampa.core.content.pack.pack import Frame, PackWriter, is_full
from rampa.core.content.visibility import Visibility
from rampa.db import ChunkRow, FrameRow, PackRow, store_state
from rampa.operations.base import UnitOfWork
from rampa.operations.content.arrival import PACK_LIMIT, check_pack

Key = tuple[bytes, bytes]
"""Id and key of an encrypted depot."""


def write_packs(
    uow: UnitOfWork, frames: Iterable[NewFrame], visibility: Visibility, key: Key | None = None
) -> list[tuple[bytes, int]]:
    """(digest, size) of the packs. Copies of the chunks are added; where they lay before, they stay."""
    return [write_pack(uow, group, visibility, key) for group in by_pack(frames)]


def by_pack(frames: Iterable[NewFrame]) -> Iterator[list[NewFrame]]:
    """As many as make a pack each."""
    group: list[NewFrame] = []
    stored = raw = 0
    for frame in frames:
        group.append(frame)
        stored, raw = stored + len(frame.stored), raw + frame.raw
        if is_full(stored, raw):
            yield group
            group, stored, raw = [], 0, 0
    if group:
        yield group


def write_pack(
    uow: UnitOfWork,
    frames: Iterable[NewFrame],
    visibility: Visibility,
    key: Key | None = None,
    *,
    for_players: bool = False,
    past: bool = False,
) -> tuple[bytes, int]:
    """Packs for players change nothing yet for who reads: their build's layout says when they do."""
    writer, random = PackWriter(), uow.services.random
    for frame in frames:
        writer.add(frame.chunks, encrypt(frame.stored, frame.raw, key[1], key[0], random) if key else frame.stored)
    data = writer.finish()
    digest = blake3(data).digest()

    def check(path: Path, size: int) -> None:
        # Whole frames come over as they lie: damage must not get a new name that is right.
        if key is None:
            check_pack(path, size)

    # The bytes before the row: a row never points at what is not there.
    uow.services.store.put_pack(digest, [data], PACK_LIMIT, check)
    row = insert(PackRow).values(digest=digest, size=len(data), created_at=uow.now, visibility=visibility)
    row = row.values(for_players=for_players, past=past)
    # The same chunks give the same pack: one that an interrupted work left, or that somebody sent, is kept as it is.
    if uow.session.scalar(row.on_conflict_do_nothing().returning(PackRow.digest)) is not None:
        _record(uow, digest, writer.frames, key)
        # Readers keep places in memory; a new epoch tells them to ask again.
        if not for_players:
            store_state(uow.session, lock=True).epoch += 1
    return digest, len(data)


def _record(uow: UnitOfWork, digest: bytes, frames: list[Frame], key: Key | None) -> None:
    ident = key[0] if key else None
    rows = [{"pack_digest": digest, "offset": f.offset, "stored": f.stored, "raw": f.raw, "key": ident} for f in frames]
    ids = uow.session.scalars(insert(FrameRow).returning(FrameRow.id, sort_by_parameter_order=True), rows).all()
    chunks = []
    for frame_id, frame in zip(ids, frames, strict=True):
        at = 0
        for chunk in frame.chunks:
            chunks.append({"digest": chunk.digest, "size": chunk.size, "frame_id": frame_id, "at": at})
            at += chunk.size
    if chunks:
        uow.session.execute(insert(ChunkRow).on_conflict_do_nothing(), chunks)
