"""Submissions as the protocol has them: taken once, looked at, acted on."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.core.submission.life import ON_SHOW, TRANSITIONS, WORDS, SubmissionEvent, SubmissionState
from rampa.schema import storefronts as wire
from rampa.standin.storefront import moves
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreEventRow, StorePictureRow, StoreSubmissionRow, UploadRow
from rampa.standin.storefront.titles import find_title, highest_codes
from rampa.standin.storefront.verification import must_be_verified

STUDIO = "the studio"
BEFORE = {
    "answer": SubmissionEvent.ANSWER,
    "appeal": SubmissionEvent.APPEAL,
    "withdraw": SubmissionEvent.WITHDRAW,
}
SHOWN = {
    "share": wire.Ability.SHARE,
    "hold": wire.Ability.HOLD,
    "go-on": wire.Ability.HOLD,
    "roll-back": wire.Ability.ROLL_BACK,
}


def submit(shop: Shop, asked: wire.SubmissionIn, key: str) -> wire.SubmissionAt:
    """The same key is the same submission: nothing is taken twice. Raises `Refused` with the rule that says no."""
    with shop.begin() as session:
        # Locked by the title: two that come at once see each other's version codes.
        title = find_title(session, asked.identifier, lock=True)
        there = session.scalar(select(StoreSubmissionRow).where(StoreSubmissionRow.key == key))
        if there is not None:
            if there.asked != asked.model_dump(mode="json"):
                raise Conflict("storefront.key", "this key was used for another submission", where="Idempotency-Key")
            return describe(shop, session, there)
        _must_be_takeable(shop, session, asked)
        if title.first_pending:
            hint = "A person hands in the first bundle on the storefront's own page."
            raise Refused("storefront.by-hand", f"{asked.identifier} has had no bundle here yet", hint=hint)
        return describe(shop, session, take(shop, session, asked, key))


def take(shop: Shop, session: Session, asked: wire.SubmissionIn, key: str) -> StoreSubmissionRow:
    title = find_title(session, asked.identifier)
    if title.certificate and asked.certificate and title.certificate != asked.certificate:
        message = f"{asked.identifier} was always signed with {title.certificate[:12]}…, and this with {asked.certificate[:12]}…"
        raise Refused("storefront.certificate", message, where="certificate")
    row = StoreSubmissionRow(
        key=key, identifier=asked.identifier, platform=asked.platform, version_code=asked.version_code,
        asked=asked.model_dump(mode="json"), state=SubmissionState.SENT.value, moved_at=shop.now(), made_at=shop.now(),
        findings=[], share=asked.share, held=False, claimed_by="",
    )  # fmt: skip
    session.add(row)
    session.flush()
    title.certificate = title.certificate or asked.certificate
    session.add(
        StoreEventRow(submission=row.id, at=shop.now(), state=row.state, by=STUDIO, text="", about="", reason="")
    )
    session.flush()
    return row


def act(shop: Shop, submission: str, asked: wire.ActIn) -> wire.SubmissionAt:
    """Raises `Conflict` where its state does not take it, `Refused` where the storefront cannot do it at all."""
    with shop.begin() as session:
        row = moves.find(session, submission)
        if asked.act in BEFORE:
            event = BEFORE[asked.act]
            if event is SubmissionEvent.APPEAL and wire.Ability.APPEAL not in shop.character.abilities:
                raise Refused("storefront.cannot", "this storefront hears no appeals")
            if event in (SubmissionEvent.ANSWER, SubmissionEvent.APPEAL) and not asked.text.strip():
                raise Invalid("storefront.words", "say it in words", where="text")
            moves.move(shop, session, row, event, STUDIO, asked.text)
        else:
            _show(shop, session, row, asked)
        return describe(shop, session, row)


def look(shop: Shop, submission: str) -> wire.SubmissionAt:
    with shop.begin() as session:
        return describe(shop, session, moves.find(session, submission, lock=False))


def list_of(shop: Shop, identifier: str) -> wire.SubmissionList:
    """The newest first, fifty at most."""
    with shop.begin() as session:
        find_title(session, identifier)
        rows = select(StoreSubmissionRow).where(StoreSubmissionRow.identifier == identifier)
        newest = session.scalars(rows.order_by(StoreSubmissionRow.number.desc()).limit(50))
        return wire.SubmissionList(items=[describe(shop, session, row) for row in newest])


def describe(shop: Shop, session: Session, row: StoreSubmissionRow) -> wire.SubmissionAt:
    happened = list(
        session.scalars(select(StoreEventRow).where(StoreEventRow.submission == row.id).order_by(StoreEventRow.number))
    )
    state = SubmissionState(row.state)
    return wire.SubmissionAt(
        id=row.id,
        identifier=row.identifier,
        platform=row.platform,
        version_code=row.version_code,
        version_name=row.asked["version_name"],
        sha256=row.asked["sha256"],
        state=state,
        there=shop.character.there.get(state, WORDS[state]),
        ahead=moves.ahead(session, row),
        going=row.asked["going"],
        going_at=row.asked.get("at"),
        share=row.share,
        held=row.held,
        words=[
            wire.WordSaid(at=e.at, by=e.by, text=e.text, about=e.about, reason=e.reason)
            for e in happened
            if e.text and e.state in WRITTEN
        ],
        findings=[wire.FoundAt(**f) for f in row.findings],
        events=[wire.Happened(at=e.at, state=e.state, by=e.by, said=e.text) for e in happened],
        can=acts_of(shop, row),
    )


WRITTEN = (SubmissionState.QUESTION, SubmissionState.REFUSED, SubmissionState.WAITING, SubmissionState.PASSED)


def acts_of(shop: Shop, row: StoreSubmissionRow) -> list[str]:
    state, able = SubmissionState(row.state), shop.character.abilities
    acts = [name for name, event in BEFORE.items() if (state, event) in TRANSITIONS]
    if wire.Ability.APPEAL not in able and "appeal" in acts:
        acts.remove("appeal")
    if state is SubmissionState.PASSED or (state is SubmissionState.PARTLY_LIVE and not row.held):
        acts.append("go-live")
    if state in ON_SHOW:
        acts += [name for name, ability in SHOWN.items() if ability in able and (name != "go-on" or row.held)]
    return acts


def _must_be_takeable(shop: Shop, session: Session, asked: wire.SubmissionIn) -> None:
    must_be_verified(shop, session)
    highest = highest_codes(session, asked.identifier).get(asked.platform, 0)
    upload = session.get(UploadRow, asked.upload)
    if upload is None or upload.lost or upload.received != upload.length:
        raise NotFound("storefront.upload", "the bundle is not whole here", where="upload", hint="Send it first.")
    if upload.sha256 != asked.sha256:
        raise Invalid("storefront.bundle", "the upload is another bundle", where="sha256")
    if asked.version_code <= highest:
        had = f"the highest that {asked.identifier} has had for {asked.platform}"
        message = f"version code {asked.version_code:,} is not above {highest:,}, {had}"
        raise Refused("storefront.code", message, where="version_code", hint="Build again: the next code is higher.")
    if asked.share < 100 and wire.Ability.SHARE not in shop.character.abilities:
        raise Refused("storefront.cannot", "this storefront gives a build to all players or to none", where="share")
    if asked.going is wire.Going.AT and (asked.at is None or wire.Ability.MOMENT not in shop.character.abilities):
        raise Refused("storefront.cannot", "this storefront shows nothing at a moment by itself", where="going")
    wanted = {asked.listing.icon, *(d for some in asked.listing.pictures.values() for d in some)} - {None}
    there = set(session.scalars(select(StorePictureRow.digest).where(StorePictureRow.digest.in_(wanted))))
    if wanted - there:
        raise NotFound(
            "storefront.picture", f"{len(wanted - there)} pictures of the listing were not sent", where="listing"
        )


def _show(shop: Shop, session: Session, row: StoreSubmissionRow, asked: wire.ActIn) -> None:
    if asked.act in SHOWN and SHOWN[asked.act] not in shop.character.abilities:
        raise Refused("storefront.cannot", f"this storefront cannot do that: {asked.act.replace('-', ' ')}")
    if asked.act not in acts_of(shop, row):
        state = WORDS[SubmissionState(row.state)]
        raise Conflict("state.conflict", f"it is {state}: {asked.act.replace('-', ' ')} is not possible now")
    if asked.act in ("go-live", "share"):
        must_be_verified(shop, session)
        share = asked.share if asked.share is not None else row.share if asked.act == "go-live" else 100
        if share < 100 and wire.Ability.SHARE not in shop.character.abilities:
            raise Refused("storefront.cannot", "this storefront gives a build to all players or to none", where="share")
        if row.state == SubmissionState.PARTLY_LIVE and share < row.share:
            raise Refused("storefront.share", f"{row.share} % of the players have it, and {share} % would be fewer")
        moves.put_on_show(shop, session, row, share, STUDIO)
    elif asked.act in ("hold", "go-on"):
        row.held = asked.act == "hold"
        moves.tell(shop, session, row)
    else:
        moves.roll_back(shop, session, row, STUDIO)
