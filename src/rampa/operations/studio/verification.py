"""Verifying the studio: handed in to a storefront or to its own reviewers, followed, decided."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import Denied, Invalid, Refused
from rampa.core.studio.verification import (
    DOCUMENTS,
    OWN,
    TRANSITIONS,
    WAITING,
    VerificationEvent,
    VerificationState,
)
from rampa.core.transitions import advance
from rampa.db import CAN_COME, PersonRow, StorefrontRow, StudioDocumentRow, StudioRow, find_storefront, the_studio
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, may, must, service_actor
from rampa.operations.storefronts import accounts
from rampa.operations.storefronts.connection import storefront_of
from rampa.operations.storefronts.verified import keep_verification
from rampa.operations.studio.documents import content_of
from rampa.operations.studio.views import describe, lacking
from rampa.schema import studio as wire
from rampa.schema.common import Role
from rampa.schema.storefronts import StudioIn, VerificationAt, WordSaid

MOST_WORDS = 50
WHAT = "the studio's verification"


def hand_in(services: Services, actor: Actor, verifier: str) -> wire.StudioOut:
    """What is said and lies there, whole: to the studio's own reviewers, or to a storefront.

    Raises `Refused` where something is not said or not there, `Conflict` where it is somebody else's turn.
    """
    must(actor, Act.MANAGE_STUDIO)
    if verifier != OWN:
        _to_storefront(services, actor, verifier)
    with begin(services, actor) as uow:
        if verifier == OWN:
            row = the_studio(uow.session, lock=True)
            _prepared(uow, row, row.verification)
            _move(uow, row, VerificationEvent.HAND_IN)
            row.handed_in_by = actor.principal
        audit.record(uow, "studio.hand-in", verifier)
        return describe(uow)


def _to_storefront(services: Services, actor: Actor, verifier: str) -> None:
    # Nothing is locked while a storefront is spoken to: it may take its time.
    storefront = storefront_of(services, verifier)
    now = storefront.verification()
    advance(TRANSITIONS, now.state, VerificationEvent.HAND_IN, WHAT)
    with begin(services, actor) as uow:
        asked, documents = _prepared(uow, the_studio(uow.session), now)
    for digest, data in documents.items():
        storefront.send_document(digest, data)
    seen = storefront.hand_in(asked)
    with begin(services, actor) as uow:
        keep_verification(uow, find_storefront(uow.session, verifier, lock=True), seen)


def look(services: Services, actor: Actor, verifier: str) -> wire.StudioOut:
    """Asks a storefront now; of its own there is nobody to ask."""
    if verifier != OWN:
        must(actor, Act.CONNECT_STOREFRONT)
        accounts.look(services, actor, verifier)
    with begin(services, actor) as uow:
        return describe(uow)


def decide(services: Services, actor: Actor, asked: wire.VerdictIn) -> wire.StudioOut:
    """The word of the studio's own reviewers, for Rampa's own lines. Whoever handed it in does not decide, unless there is nobody
    else who may."""
    must(actor, Act.VERIFY_STUDIO)
    event = VerificationEvent(asked.verdict)
    if event in (VerificationEvent.ASK, VerificationEvent.REFUSE) and not asked.text.strip():
        raise Invalid("studio.words", "say it in words", where="text")
    with begin(services, actor) as uow:
        row = the_studio(uow.session, lock=True)
        if row.handed_in_by == actor.principal and event is not VerificationEvent.END and _others(uow):
            hint = f"{' or '.join(_others(uow))} can."
            raise Denied("studio.own-word", "you handed it in: somebody else decides", hint=hint)
        if row.verification.state is VerificationState.HANDED_IN and event is not VerificationEvent.END:
            _move(uow, row, VerificationEvent.TAKE_UP)
        _move(uow, row, event, asked.text)
        detail = {"said": asked.text.strip()[:300]} if asked.text.strip() else {}
        audit.record(uow, f"studio.{event.value}", row.name, **detail)
        return describe(uow)


def look_due(services: Services) -> int:
    """While a storefront has the studio's papers it is asked every minute."""
    with begin(services) as uow:
        rows = uow.session.scalars(select(StorefrontRow).where(StorefrontRow.verification.is_not(None)))
        due = [row.name for row in rows if row.verification is not None and row.verification.state in WAITING]
    for name in due:
        accounts.look(services, service_actor("the service"), name)
    return len(due)


def _prepared(uow: UnitOfWork, row: StudioRow, asks: VerificationAt) -> tuple[StudioIn, dict[str, bytes]]:
    """What is handed in, and the documents by their digests. Only what is asked for goes out."""
    facts = row.facts
    first = lacking(facts)
    found = uow.session.scalars(select(StudioDocumentRow).where(StudioDocumentRow.kind.in_(asks.needs))).all()
    first += [DOCUMENTS[kind] for kind in asks.needs if kind not in {d.kind for d in found}]
    if first:
        hint = "rampa studio say, rampa studio add-document"
        raise Refused("studio.lacking", f"before it can be handed in: {', '.join(first)}", hint=hint)
    asked = StudioIn(
        legal_name=facts.legal_name.strip(),
        postal_address=facts.postal_address.strip(),
        contact=facts.contact,
        register_number=facts.register_number.strip(),
        documents={d.kind: d.digest for d in found},
    )
    return asked, {d.digest: content_of(uow, d) for d in found}


def _move(uow: UnitOfWork, row: StudioRow, event: VerificationEvent, text: str = "") -> None:
    before = row.verification
    state = advance(TRANSITIONS, before.state, event, WHAT)
    said = [WordSaid(at=uow.now, by=uow.actor.name, text=text.strip())] if text.strip() else []
    words = [*before.words, *said][-MOST_WORDS:]
    row.verification = before.model_copy(update={"state": state, "since": uow.now, "words": words})


def _others(uow: UnitOfWork) -> list[str]:
    """Who could decide in place of whoever asks."""
    rows = select(PersonRow).where(PersonRow.disabled_at.is_(None), PersonRow.id != uow.actor.principal)
    return [
        p.name
        for p in uow.session.scalars(rows.where(CAN_COME).order_by(PersonRow.name))
        if may(Role(p.role), Act.VERIFY_STUDIO)
    ]
