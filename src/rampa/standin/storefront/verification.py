"""Verifying the studio: what it handed in, who looked at it, and what was said. One record, among the storefront's settings."""

from __future__ import annotations

import datetime as dt
import hashlib
from typing import Any

from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.core.studio.verification import (
    TRANSITIONS,
    WORDS,
    VerificationEvent,
    VerificationState,
    media_of,
)
from rampa.core.transitions import advance
from rampa.schema import storefronts as wire
from rampa.standin.storefront.character import ReviewPolicy
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreDocumentRow

NAME = "verification"
HOLDS = dt.timedelta(days=365)
"""Made up, as all of it."""
MACHINES = "the storefront's machines"
MOST_WORDS = 50


def look(shop: Shop) -> wire.VerificationAt:
    with shop.begin() as session:
        return describe(shop, _record(shop, session))


def is_verified(shop: Shop, session: Session) -> bool:
    return _state(_record(shop, session)) is VerificationState.VERIFIED


def must_be_verified(shop: Shop, session: Session) -> None:
    """Raises `Refused`: nothing goes to players before."""
    state = _state(_record(shop, session))
    if state is not VerificationState.VERIFIED:
        hint = "Hand in who the studio is, and wait for the storefront's word."
        raise Refused("storefront.unverified", f"the studio's verification is {WORDS[state]}", hint=hint)


def put_document(shop: Shop, digest: str, data: bytes) -> None:
    media = media_of(data)
    if hashlib.sha256(data).hexdigest() != digest:
        raise Invalid("document.digest", "the document is not what its address says")
    with shop.begin() as session:
        if session.get(StoreDocumentRow, digest) is None:
            session.add(StoreDocumentRow(digest=digest, media=media, data=data))


def hand_in(shop: Shop, asked: wire.StudioIn) -> wire.VerificationAt:
    """The same words again while it waits are no error. Raises `NotFound` for a document that was not sent."""
    said = asked.model_dump(mode="json")
    with shop.begin() as session:
        record = _record(shop, session, lock=True)
        if record.get("asked") == said and _state(record) is VerificationState.HANDED_IN:
            return describe(shop, record)
        missing = [kind for kind, digest in asked.documents.items() if session.get(StoreDocumentRow, digest) is None]
        if missing:
            raise NotFound("storefront.document", f"the document for {missing[0]} was not sent", where="documents")
        record["asked"] = said
        return describe(shop, _move(shop, session, record, VerificationEvent.HAND_IN))


def decide(shop: Shop, event: VerificationEvent, by: str, text: str) -> None:
    """What somebody of the storefront says. Raises `Conflict` where its state takes it not, `Invalid` without words."""
    if event in (VerificationEvent.ASK, VerificationEvent.REFUSE) and not text.strip():
        raise Invalid("storefront.words", "say it in words", where="text")
    if event is VerificationEvent.HAND_IN:
        raise Conflict("storefront.hand-in", "the studio hands in, nobody else")
    with shop.begin() as session:
        record = _record(shop, session, lock=True)
        if _state(record) is VerificationState.HANDED_IN and event is not VerificationEvent.TAKE_UP:
            _move(shop, session, record, VerificationEvent.TAKE_UP)
        _move(shop, session, record, event, by, text)


def tick(shop: Shop) -> None:
    """What machines do as time passes: they ask for what is missing, and else verify. People are not hurried."""
    if shop.character.policy is ReviewPolicy.PEOPLE:
        return
    with shop.begin() as session:
        record = _record(shop, session, lock=True)
        due = dt.datetime.fromisoformat(record["since"]) + dt.timedelta(seconds=shop.character.waits.verify / 2)
        if due > shop.now():
            return
        if _state(record) is VerificationState.HANDED_IN:
            _move(shop, session, record, VerificationEvent.TAKE_UP)
        elif _state(record) is VerificationState.LOOKING:
            missing = [kind for kind in shop.character.documents if kind not in record["asked"]["documents"]]
            event = VerificationEvent.ASK if missing else VerificationEvent.VERIFY
            said = f"We need a document more: {missing[0]}." if missing else ""
            _move(shop, session, record, event, MACHINES, said)


def describe(shop: Shop, record: dict[str, Any]) -> wire.VerificationAt:
    return wire.VerificationAt(
        state=_state(record),
        since=record["since"],
        needs=list(shop.character.documents),
        usual_days=shop.character.usual_days,
        until=record.get("until"),
        words=[wire.WordSaid(**word) for word in record["words"]],
    )


def handed_in(shop: Shop, session: Session) -> dict[str, Any]:
    """For the operator's page: what the studio said, and where it is."""
    record = _record(shop, session)
    asked = record.get("asked") or {"documents": {}}
    return {"state": WORDS[_state(record)], "asked": asked, "words": record["words"]}


def get_document(shop: Shop, digest: str) -> tuple[bytes, str]:
    with shop.begin() as session:
        row = session.get(StoreDocumentRow, digest)
        if row is None:
            raise NotFound("storefront.document", "there is no such document here")
        return row.data, row.media


def _record(shop: Shop, session: Session, *, lock: bool = False) -> dict[str, Any]:
    """A studio that the storefront knows from before is verified, another is not begun."""
    if lock:
        shop.lock(session, NAME)
    found = shop.get(session, NAME)
    if not found:
        now = shop.now()
        state = VerificationState.VERIFIED if shop.known else VerificationState.NOT_BEGUN
        found = {"state": state.value, "since": now.isoformat(), "words": [], "asked": None}
        found["until"] = (now + HOLDS).isoformat() if shop.known else None
        shop.set(session, NAME, found)
    return found


def _state(record: dict[str, Any]) -> VerificationState:
    return VerificationState(record["state"])


def _move(
    shop: Shop, session: Session, record: dict[str, Any], event: VerificationEvent, by: str = "", text: str = ""
) -> dict[str, Any]:
    now = shop.now()
    state = advance(TRANSITIONS, _state(record), event, "the studio's verification")
    record |= {"state": state.value, "since": now.isoformat()}
    record["until"] = (now + HOLDS).isoformat() if state is VerificationState.VERIFIED else None
    if text.strip():
        word = {"at": now.isoformat(), "by": by, "text": text.strip()}
        record["words"] = [*record["words"], word][-MOST_WORDS:]
    shop.set(session, NAME, record)
    return record
