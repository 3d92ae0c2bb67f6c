"""The studio as people see it: what is said of it, what lies there, and where its verification is with each verifier."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select

from rampa.core.studio.verification import DOCUMENTS, OURS, OWN, WAITING, WORDS, VerificationState, days_waited
from rampa.core.submission.account import USABLE
from rampa.db import StorefrontRow, StudioDocumentRow, studio_is_verified, the_studio
from rampa.operations.base import Act, UnitOfWork, action
from rampa.schema import studio as wire
from rampa.schema.common import Action
from rampa.schema.storefronts import VerificationAt

OWN_TITLE = "Rampa's own lines"
FACTS = {"legal_name": "its name by law", "postal_address": "its address", "contact": "a mail address"}
"""What each verifier wants to be told."""


def lacking(facts: wire.StudioFacts) -> list[str]:
    """What nobody said yet, in words."""
    return [words for name, words in FACTS.items() if not getattr(facts, name).strip()]


def describe(uow: UnitOfWork) -> wire.StudioOut:
    studio = the_studio(uow.session)
    documents = list(uow.session.scalars(select(StudioDocumentRow).order_by(StudioDocumentRow.kind)))
    there = {d.kind.value for d in documents}
    lacked = lacking(studio.facts)
    storefronts = select(StorefrontRow).where(StorefrontRow.state.in_(USABLE)).order_by(StorefrontRow.title)
    verified = [_verified(uow, OWN, OWN_TITLE, studio.verification, None, there, lacked)]
    for row in uow.session.scalars(storefronts):
        if row.verification is not None:
            verified.append(_verified(uow, row.name, row.title, row.verification, row.looked_at, there, lacked))
    return wire.StudioOut(
        name=studio.name,
        verified=studio_is_verified(uow.session),
        facts=studio.facts,
        documents=[_document(d) for d in documents],
        kinds=[wire.KindOfDocument(kind=kind, words=words) for kind, words in DOCUMENTS.items()],
        verifications=verified,
        allowed_actions=[action(uow.actor, Act.MANAGE_STUDIO, name) for name in ("say", "add-document")]
        + [action(uow.actor, Act.READ_STUDIO_DOCUMENT, "read-document")],
    )


def _document(row: StudioDocumentRow) -> wire.StudioDocumentOut:
    return wire.StudioDocumentOut(
        kind=row.kind,
        name=row.name,
        media=row.media,
        size=row.size,
        sha256=row.digest,
        added_by=row.added_by,
        added_at=row.created_at,
    )


def _verified(
    uow: UnitOfWork,
    verifier: str,
    title: str,
    seen: VerificationAt,
    looked_at: dt.datetime | None,
    there: set[str],
    lacked: list[str],
) -> wire.VerifiedAt:
    missing = [kind for kind in seen.needs if kind not in there]
    return wire.VerifiedAt(
        verifier=verifier,
        title=title,
        state=seen.state,
        state_words=WORDS[seen.state],
        since=seen.since,
        days=days_waited(seen.since, uow.now),
        usual_days=seen.usual_days,
        needs=seen.needs,
        missing=missing,
        lacking=lacked,
        words=seen.words,
        until=seen.until,
        looked_at=looked_at,
        allowed_actions=_actions(uow, verifier, seen, [*lacked, *(DOCUMENTS[kind] for kind in missing)]),
    )


def _actions(uow: UnitOfWork, verifier: str, seen: VerificationAt, first: list[str]) -> list[Action]:
    stands = f"It is {WORDS[seen.state]}."
    obstacle = "" if seen.state in OURS else stands
    obstacle = obstacle or (f"First say or add {', '.join(first)}." if first else "")
    acts = [action(uow.actor, Act.MANAGE_STUDIO, "hand-in", obstacle)]
    if verifier != OWN:
        return [*acts, action(uow.actor, Act.CONNECT_STOREFRONT, "look")]
    waits = "" if seen.state in WAITING else stands
    verdicts = [action(uow.actor, Act.VERIFY_STUDIO, name, waits) for name in ("verify", "ask", "refuse")]
    ends = "" if seen.state is VerificationState.VERIFIED else stands
    return [*acts, *verdicts, action(uow.actor, Act.VERIFY_STUDIO, "end", ends)]
