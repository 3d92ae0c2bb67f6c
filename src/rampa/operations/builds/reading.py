"""Who may read content: engineers all of it, others what is offered."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.content.visibility import Visibility
from rampa.core.errors import Denied, NotFound
from rampa.db import BuildRow, DifferenceSetRow, PackRow
from rampa.operations.base import Act, Actor, Services, begin, may
from rampa.operations.content.seal import is_locked
from rampa.operations.content.stored_trees import find_ready
from rampa.operations.content.visibility import is_offered


def readable(services: Services, actor: Actor, slug: str, number: int) -> BuildRow:
    """A ready build whose content this one may read. Raises `Denied`."""
    build = find_ready(services, slug, number)
    if may(actor.role, Act.READ_CONTENT):
        return build
    with begin(services, actor) as uow:
        if not is_offered(uow, build):
            hint = "An engineer can read it, or place it on a channel."
            raise Denied(
                "build.not-offered", f"{build.name} is on no channel: its content is not handed out", hint=hint
            )
    return build


def readable_bundle(services: Services, actor: Actor, slug: str, number: int) -> BuildRow:
    """The same for its bundle, which is plain also where the depots are encrypted."""
    build = readable(services, actor, slug, number)
    with begin(services, actor) as uow:
        if is_locked(uow, build) and not may(actor.role, Act.READ_CONTENT):
            hint = "It is handed out once the build is unsealed."
            raise Denied("bundle.sealed", f"the content of {build.name} is sealed, and so is its bundle", hint=hint)
    return build


def pack_size(services: Services, actor: Actor, digest: bytes) -> int:
    """Of a pack that this one may read, in bytes. An agent's packs are its runs' (operations/agents/scope).

    Raises `NotFound`, for what may not be read as for what is not there: a digest is not told from a guess.
    """
    everything = actor.agent or may(actor.role, Act.READ_CONTENT)
    with begin(services, actor) as uow:
        pack = uow.session.get(PackRow, digest)
        if pack is not None and (everything or pack.visibility >= Visibility.OFFERED):
            return pack.size
        sets = uow.session.scalars(select(DifferenceSetRow).where(DifferenceSetRow.pack == digest)).all()
        size = next((s.size for s in sets if everything or is_offered(uow, s.new)), 0)
    if not size:
        raise NotFound("content.unknown", f"there is no such pack: {digest.hex()[:12]}")
    return size
