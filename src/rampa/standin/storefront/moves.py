"""How a submission moves at the storefront: by its table, with an event for each step, and a notice to the studio."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import NotFound
from rampa.core.submission.life import ON_SHOW, TRANSITIONS, SubmissionEvent, SubmissionState
from rampa.core.transitions import advance
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreEventRow, StoreNoticeRow, StoreSubmissionRow


def move(
    shop: Shop,
    session: Session,
    row: StoreSubmissionRow,
    event: SubmissionEvent,
    by: str,
    text: str = "",
    about: str = "",
    reason: str = "",
    at: dt.datetime | None = None,
) -> None:
    """`at`: when it was due, where that is before now. Raises `Conflict` where its table has no such step."""
    what = f"version code {row.version_code:,} of {row.identifier}"
    row.state = advance(TRANSITIONS, SubmissionState(row.state), event, what).value
    row.moved_at = at or shop.now()
    row.claimed_by, row.claim_until = "", None
    session.add(
        StoreEventRow(submission=row.id, at=row.moved_at, state=row.state, by=by, text=text, about=about, reason=reason)
    )
    tell(shop, session, row)
    session.flush()


def tell(shop: Shop, session: Session, row: StoreSubmissionRow) -> None:
    if shop.get(session, "notices"):
        session.add(StoreNoticeRow(submission=row.id, made_at=shop.now(), next_at=shop.now()))


def find(session: Session, submission: str, *, lock: bool = True) -> StoreSubmissionRow:
    rows = select(StoreSubmissionRow).where(StoreSubmissionRow.id == submission)
    row = session.scalar(rows.with_for_update(of=StoreSubmissionRow) if lock else rows)
    if row is None:
        raise NotFound("storefront.submission", "there is no such submission here", where="submission")
    return row


def put_on_show(
    shop: Shop, session: Session, row: StoreSubmissionRow, share: int, by: str, at: dt.datetime | None = None
) -> None:
    """To so many of the players; whoever is whole ends the one before it."""
    event = SubmissionEvent.GO_LIVE if share >= 100 else SubmissionEvent.GO_PART
    row.share, row.held = share, False
    move(shop, session, row, event, by, f"to {share} % of the players", at=at)
    if share >= 100:
        for other in shown(session, row.identifier, row.platform):
            if other.id != row.id:
                move(shop, session, other, SubmissionEvent.REPLACE, by)


def roll_back(shop: Shop, session: Session, row: StoreSubmissionRow, by: str) -> None:
    """Nobody is offered it any more; where nothing else is on show, the one before it is again."""
    move(shop, session, row, SubmissionEvent.WITHDRAW, by, "rolled back")
    if shown(session, row.identifier, row.platform):
        return
    before = select(StoreSubmissionRow).where(
        StoreSubmissionRow.identifier == row.identifier,
        StoreSubmissionRow.platform == row.platform,
        StoreSubmissionRow.state == SubmissionState.REPLACED.value,
    )
    last = session.scalar(before.order_by(StoreSubmissionRow.version_code.desc()).limit(1))
    if last is not None:
        last.share = 100
        move(shop, session, last, SubmissionEvent.RESTORE, by, f"in place of version code {row.version_code:,}")


def shown(session: Session, identifier: str, platform: str = "") -> list[StoreSubmissionRow]:
    """What players are offered, the highest version code first."""
    rows = select(StoreSubmissionRow).where(
        StoreSubmissionRow.identifier == identifier, StoreSubmissionRow.state.in_([s.value for s in ON_SHOW])
    )
    if platform:
        rows = rows.where(StoreSubmissionRow.platform == platform)
    return list(session.scalars(rows.order_by(StoreSubmissionRow.version_code.desc())))


def ahead(session: Session, row: StoreSubmissionRow) -> int | None:
    """How many wait before it; None where it does not wait."""
    if row.state != SubmissionState.WAITING:
        return None
    waiting = select(StoreSubmissionRow.moved_at, StoreSubmissionRow.number)
    there = session.execute(waiting.where(StoreSubmissionRow.state == SubmissionState.WAITING.value)).all()
    return sum((moved, number) < (row.moved_at, row.number) for moved, number in there)
