"""Keys of encrypted depots: made when a build is completed, kept sealed, given out when the build is unsealed."""

from __future__ import annotations

import uuid

from sqlalchemy import select

from rampa.core.content.pack import encryption
from rampa.core.errors import Conflict, NotFound, Refused
from rampa.core.signing.seal import seal, unseal
from rampa.db import BuildRow, ChunkRow, ContentKeyRow, FrameRow, PackRow, UnsealingKeyRow, find_build
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.content.frames import content_key, key_label
from rampa.operations.content.seal import is_locked
from rampa.operations.content.stored_trees import find_ready
from rampa.operations.store.needed import build_chunks
from rampa.operations.updates.differences import ask, likely
from rampa.schema.signing import content_keys as wire

BATCH = 5000


def make_keys(uow: UnitOfWork, build: BuildRow, depots: list[str]) -> dict[str, tuple[bytes, bytes]]:
    """Depot -> (id, key) for a new build, and the build's unsealing key; all sealed in the vault."""
    made = {}
    for depot in depots:
        ident, key = encryption.new_id(uow.services.random), encryption.new_key(uow.services.random)
        sealed = seal(key, uow.services.master_key, key_label(ident), uow.services.random)
        uow.session.add(ContentKeyRow(id=ident, build_id=build.id, depot=depot, sealed=sealed, created_at=uow.now))
        made[depot] = (ident, key)
    random = uow.services.random
    sealed = seal(encryption.new_key(random), uow.services.master_key, unsealing_label(build.id), random)
    uow.session.add(UnsealingKeyRow(build_id=build.id, sealed=sealed, created_at=uow.now, unsealed_by=""))
    uow.session.flush()
    return made


def get_keys(services: Services, slug: str, number: int) -> wire.ContentKeys:
    """The wrapped content keys of a build, and its unsealing key once that is given out."""
    build = find_ready(services, slug, number)
    with begin(services) as uow:
        row = uow.session.get(UnsealingKeyRow, build.id)
        idents = _idents(uow, build_chunks(services, build))
        idents |= set(uow.session.scalars(select(ContentKeyRow.id).where(ContentKeyRow.build_id == build.id)))
        if row is None:
            if idents:
                return _from_earlier(uow, idents)
            return wire.ContentKeys(build=number, unsealed_at=None, unsealing_key="", keys=[])
        unsealing = unseal(row.sealed, services.master_key, unsealing_label(build.id))
        keys = [
            wire.WrappedKey(
                id=i.hex(), wrapped=encryption.wrap(content_key(services, i), i, unsealing, services.random).hex()
            )
            for i in sorted(idents)
        ]
        given = unsealing.hex() if row.unsealed_at else ""
        return wire.ContentKeys(build=number, unsealed_at=row.unsealed_at, unsealing_key=given, keys=keys)


def _from_earlier(uow: UnitOfWork, idents: set[bytes]) -> wire.ContentKeys:
    """A build that is not encrypted, and shares content with one that is: its readers need those keys, if they are out."""
    locked = [i for i in idents if is_locked(uow, _build_of(uow, i))]
    if locked:
        raise Refused("content.locked", "this build shares content with one that is not unsealed yet")
    random = uow.services.random
    # A key of its own for this answer: what was given out for another build is not given out again under its name.
    unsealing = encryption.new_key(random)
    keys = [
        wire.WrappedKey(id=i.hex(), wrapped=encryption.wrap(content_key(uow.services, i), i, unsealing, random).hex())
        for i in idents
    ]
    return wire.ContentKeys(build=0, unsealed_at=uow.now, unsealing_key=unsealing.hex(), keys=keys)


def _build_of(uow: UnitOfWork, ident: bytes) -> BuildRow:
    key = uow.session.get(ContentKeyRow, ident)
    build = uow.session.get(BuildRow, key.build_id) if key else None
    if build is None:
        raise NotFound("content.key", "a content key is not in the vault")
    return build


def unseal_build(services: Services, actor: Actor, slug: str, number: int) -> wire.ContentKeys:
    """Gives the unsealing key out: from now on whoever has the content can read it. It cannot be taken back."""
    must(actor, Act.UNSEAL)
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number, lock=True)
        row = uow.session.get(UnsealingKeyRow, build.id, with_for_update=True)
        if row is None:
            raise Conflict("content.plain", f"{build.name} has no encrypted depot: there is no key to give out")
        if row.unsealed_at is None:
            row.unsealed_at, row.unsealed_by = services.now(), actor.name
            audit.record(uow, "content.unseal", build.name, slug)
            # Differences need the plain content; until now none could be made.
            ask(uow, build, likely(uow, build))
    return get_keys(services, slug, number)


def _idents(uow: UnitOfWork, chunks: set[bytes]) -> set[bytes]:
    wanted, out = list(chunks), set()
    for at in range(0, len(wanted), BATCH):
        rows = select(FrameRow.key).join(ChunkRow, ChunkRow.frame_id == FrameRow.id)
        # Packs for players are encrypted with their own build's keys, and say nothing of another build's content.
        rows = rows.join(PackRow, PackRow.digest == FrameRow.pack_digest).where(PackRow.for_players.is_(False))
        rows = rows.where(ChunkRow.digest.in_(wanted[at : at + BATCH]), FrameRow.key.is_not(None))
        out |= {k for k in uow.session.scalars(rows.distinct()) if k}
    return out


def unsealing_label(build: uuid.UUID) -> str:
    return f"unsealing:{build}"
