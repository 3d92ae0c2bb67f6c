"""Encrypting a build's new content when it is completed: what nobody could read before is written again, encrypted.

Chunks that players are offered plain stay plain: they are public already. What sources, or builds that are not offered, need
plain gets an encrypted copy beside it; plain packs that this upload brought and nobody needs are removed at once, before any
address of theirs was given out.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from sqlalchemy import delete, select

from rampa.core.content.tree.tree import Tree
from rampa.core.content.visibility import Visibility
from rampa.db import BuildRow, ChunkRow, FrameRow, PackRow
from rampa.operations.base import UnitOfWork
from rampa.operations.content.copies import Copy, copies_of, frames_of
from rampa.operations.content.packing import write_packs
from rampa.operations.signing.content_keys import make_keys
from rampa.operations.store.needed import needed_chunks


def encrypt_depots(uow: UnitOfWork, build: BuildRow, trees: Mapping[str, Tree]) -> list[bytes]:
    """Writes the new chunks of these depots into encrypted packs; returns plain packs to be removed after the commit."""
    keys = make_keys(uow, build, list(trees))
    written: dict[bytes, Copy] = {}
    for depot, tree in trees.items():
        secret = {d: c for d, c in _secret(uow, tree.chunks.digests) if d not in written}
        write_packs(uow, frames_of(uow.services, secret.values()), Visibility.BUILD, keys[depot])
        written |= secret
    needed = needed_chunks(uow)
    return _empty(uow, {d: c for d, c in written.items() if d not in needed})


def _secret(uow: UnitOfWork, digests: Iterable[bytes]) -> Iterable[tuple[bytes, Copy]]:
    """Chunks that nobody is offered plain and that lie nowhere encrypted, with where they lie."""
    for copies in copies_of(uow, dict.fromkeys(digests)):
        for digest, found in copies.items():
            if all(c.plain and c.visibility < Visibility.OFFERED for c in found):
                yield digest, found[0]


def _empty(uow: UnitOfWork, idle: Mapping[bytes, Copy]) -> list[bytes]:
    """Packs with plain chunks that nobody needs plain: what else is in them is written again without these."""
    packs = {c.frame.pack for c in idle.values()}
    for pack in sorted(packs):
        frames = select(FrameRow.id).where(FrameRow.pack_digest == pack)
        rest = [
            d
            for d in uow.session.scalars(select(ChunkRow.digest).where(ChunkRow.frame_id.in_(frames)))
            if d not in idle
        ]
        here = (
            c for copies in copies_of(uow, rest) for found in copies.values() for c in found if c.frame.pack == pack
        )
        write_packs(uow, frames_of(uow.services, here), uow.session.get_one(PackRow, pack).visibility)
        uow.session.execute(delete(ChunkRow).where(ChunkRow.frame_id.in_(frames)))
        uow.session.execute(delete(FrameRow).where(FrameRow.pack_digest == pack))
        uow.session.execute(delete(PackRow).where(PackRow.digest == pack))
    return sorted(packs)
