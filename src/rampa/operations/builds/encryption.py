"""Encrypting a build's new content when it is completed: what nobody could read before is written again, encrypted.

Chunks that other builds deliver plain stay plain: they are public already. The plain packs that this upload brought are
removed at once, before any address of theirs was given out.
"""

from __future__ import annotations

from collections.abc import Mapping

from blake3 import blake3
from sqlalchemy import delete, select, update

from rampa.core.content.pack.encryption import encrypt
from rampa.core.content.pack.pack import PackWriter
from rampa.core.content.tree.tree import Chunk as Piece
from rampa.core.content.tree.tree import Tree
from rampa.db import BuildRow, ChunkRow, FrameRow, PackRow
from rampa.operations.base import UnitOfWork
from rampa.operations.content.arrival import PACK_LIMIT, chunk_sizes, locate
from rampa.operations.content.reframe import new_frames
from rampa.operations.signing.content_keys import make_keys
from rampa.operations.store.needed import needed_chunks


def encrypt_depots(uow: UnitOfWork, build: BuildRow, trees: Mapping[str, Tree]) -> list[bytes]:
    """Moves the new chunks of these depots into encrypted packs; returns plain packs to be removed after the commit."""
    keys = make_keys(uow, build, list(trees))
    # What any build delivers plain can be read already; encrypting it again would only make players fetch it twice.
    public = needed_chunks(uow)
    seen: set[bytes] = set()
    touched: set[bytes] = set()
    for depot, tree in trees.items():
        secret = [c for c in tree.chunks if c.digest not in public and c.digest not in seen]
        places = locate(uow, [c.digest for c in secret])
        secret = [c for c in secret if not places[c.digest][0].key]
        seen |= {c.digest for c in secret}
        touched |= {places[c.digest][0].pack for c in secret}
        _write(uow, secret, keys[depot])
    return _empty(uow, touched)


def _write(uow: UnitOfWork, pieces: list[Piece], key: tuple[bytes, bytes] | None) -> None:
    """New packs of these chunks, encrypted where there is a key; their rows move there."""
    writer = PackWriter()
    places = locate(uow, [c.digest for c in pieces])
    for frame in new_frames(uow.services, pieces, places):
        stored = encrypt(frame.stored, frame.raw, key[1], key[0], uow.services.random) if key else frame.stored
        writer.add(frame.chunks, stored)
        if writer.full():
            _keep(uow, writer, key)
            writer = PackWriter()
    if writer.size:
        _keep(uow, writer, key)


def _keep(uow: UnitOfWork, writer: PackWriter, key: tuple[bytes, bytes] | None) -> None:
    data = writer.finish()
    digest = blake3(data).digest()
    uow.services.store.put_pack(digest, [data], PACK_LIMIT, lambda path, size: None)
    uow.session.add(PackRow(digest=digest, size=len(data), created_at=uow.now))
    uow.session.flush()
    for frame in writer.frames:
        row = FrameRow(
            pack_digest=digest, offset=frame.offset, stored=frame.stored, raw=frame.raw, key=key[0] if key else None
        )
        uow.session.add(row)
        uow.session.flush()
        at = 0
        for chunk in frame.chunks:
            uow.session.execute(update(ChunkRow).where(ChunkRow.digest == chunk.digest).values(frame_id=row.id, at=at))
            at += chunk.size


def _empty(uow: UnitOfWork, packs: set[bytes]) -> list[bytes]:
    """Plain packs that still hold other content beside what was encrypted are written again without it."""
    for pack in sorted(packs):
        frames = select(FrameRow.id).where(FrameRow.pack_digest == pack)
        rest = list(uow.session.scalars(select(ChunkRow.digest).where(ChunkRow.frame_id.in_(frames))))
        sizes = chunk_sizes(uow, rest)
        _write(uow, [Piece(d, sizes[d]) for d in rest], None)
    for pack in packs:
        uow.session.execute(delete(FrameRow).where(FrameRow.pack_digest == pack))
        uow.session.execute(delete(PackRow).where(PackRow.digest == pack))
    return sorted(packs)
