"""A title's root: drafted with the service's keys in it, and taken once enough holders signed."""

from __future__ import annotations

from rampa.core.errors import Invalid, Refused
from rampa.core.trust import root as root_format
from rampa.core.trust.keys import HolderKey
from rampa.core.trust.root import RootFacts
from rampa.core.trust.terms import TOP
from rampa.db import TitleRow, TrustRootRow, TrustRow, find_title, newest_root
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.trust import keys
from rampa.operations.trust.standing import get_trust
from rampa.schema import trust as wire


def draft(services: Services, actor: Actor, slug: str, asked: wire.RootDraftIn) -> wire.RootDraftOut:
    """An unsigned root that follows the newest. Nothing of the title changes by it."""
    must(actor, Act.HOLD_CEREMONY)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        before = newest_root(uow.session, title.id)
        online = keys.make_waiting(uow, title) if asked.new_keys or before is None else keys.public_keys(uow, title)
        if len(online) < len(TOP):
            hint = "Draft it with new ones: `rampa trust ceremony draft --new-keys`."
            raise Refused("trust.key-gone", "keys of the service are not in the vault", hint=hint)
        holders = [HolderKey(h.holder, bytes.fromhex(h.public)) for h in asked.holders]
        made = root_format.draft_root(
            title.identifier, before.data if before else b"", holders, asked.threshold, online, uow.now
        )
        return wire.RootDraftOut(draft=root_format.write_draft(made).decode())


def publish(services: Services, actor: Actor, slug: str, asked: wire.PublishIn) -> wire.Trust:
    """Takes a root that enough holders signed. Raises `Refused` with what is missing; then nothing changes."""
    must(actor, Act.HOLD_CEREMONY)
    made = root_format.read_draft(asked.draft.encode())
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        if made.title != title.identifier:
            raise Invalid("trust.other-title", f"this draft is for {made.title}", where="draft")
        before = newest_root(uow.session, title.id)
        facts = root_format.facts_of(made.root)
        waiting = keys.public_keys(uow, title, waiting=True)
        renewed = bool(waiting) and facts.online == waiting
        online = waiting if renewed else keys.public_keys(uow, title)
        root_format.must_follow_root(made, before.data if before else b"", online, uow.now)
        if renewed:
            keys.take_waiting(uow, title)
        _keep(uow, title, made.root, facts)
    return get_trust(services, actor, slug)


def _keep(uow: UnitOfWork, title: TitleRow, data: bytes, facts: RootFacts) -> None:
    row = TrustRootRow(
        title_id=title.id, version=facts.version, data=data, published_by=uow.actor.name, created_at=uow.now
    )
    uow.session.add(row)
    trust = uow.session.get(TrustRow, title.id)
    if trust is None:
        uow.session.add(TrustRow(title_id=title.id, change=0, marker="", trouble="", told=""))
    else:
        # Whatever was signed is signed again with what the root says now.
        trust.marker = ""
    audit.record(
        uow,
        "trust.publish",
        title.name,
        title.slug,
        version=facts.version,
        threshold=facts.threshold,
        holders=", ".join(facts.holders),
    )
