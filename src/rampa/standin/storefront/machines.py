"""What a storefront does by itself as time passes: unpacks, checks, reviews by machines, shows at a moment."""

from __future__ import annotations

import datetime as dt
import shutil

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.submission.life import SubmissionEvent, SubmissionState
from rampa.schema.storefronts import Going
from rampa.standin.storefront import verification
from rampa.standin.storefront.character import ReviewPolicy
from rampa.standin.storefront.checks import check
from rampa.standin.storefront.moves import move, put_on_show
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreSubmissionRow, UploadRow

MACHINES = "the storefront's machines"
MOVING = (
    SubmissionState.SENT,
    SubmissionState.UNPACKED,
    SubmissionState.CHECKING,
    SubmissionState.WAITING,
    SubmissionState.REVIEWING,
    SubmissionState.PASSED,
)


def tick(shop: Shop) -> None:
    """Every step whose time has come. Each submission by itself: a broken one holds up no other."""
    verification.tick(shop)
    with shop.begin() as session:
        rows = select(StoreSubmissionRow.id).where(StoreSubmissionRow.state.in_([s.value for s in MOVING]))
        due = list(session.scalars(rows.order_by(StoreSubmissionRow.number)))
    for submission in due:
        with shop.begin() as session:
            found = select(StoreSubmissionRow).where(StoreSubmissionRow.id == submission)
            row = session.scalar(found.with_for_update(of=StoreSubmissionRow, skip_locked=True))
            # As many steps as its time allows, each from its own moment on: a day that nobody looked is caught up with.
            while row is not None and _step(shop, session, row):
                pass


def _step(shop: Shop, session: Session, row: StoreSubmissionRow) -> bool:
    due = _due(shop, row)
    if due is None or due > shop.now():
        return False
    state = SubmissionState(row.state)
    if state is SubmissionState.PASSED and not verification.is_verified(shop, session):
        return False
    if state is SubmissionState.REVIEWING and row.claimed_by:
        move(shop, session, row, SubmissionEvent.LAPSE, MACHINES, f"{row.claimed_by} did not come back", at=due)
    elif state is SubmissionState.CHECKING:
        _check(shop, session, row, due)
    elif state is SubmissionState.SENT:
        _unpack(shop, session, row, due)
    elif state is SubmissionState.PASSED:
        put_on_show(shop, session, row, row.share, MACHINES, due)
    else:
        move(shop, session, row, BY_ITSELF[state], MACHINES, at=due)
    return True


BY_ITSELF = {
    SubmissionState.UNPACKED: SubmissionEvent.CHECK,
    SubmissionState.WAITING: SubmissionEvent.CLAIM,
    SubmissionState.REVIEWING: SubmissionEvent.PASS,
}


def _due(shop: Shop, row: StoreSubmissionRow) -> dt.datetime | None:
    """When its next step comes by itself; None where it waits for somebody."""
    waits, state = shop.character.waits, SubmissionState(row.state)
    if state is SubmissionState.PASSED:
        return _goes(row)
    if state is SubmissionState.REVIEWING and row.claimed_by:
        return row.claim_until
    machines = shop.character.policy is not ReviewPolicy.PEOPLE
    after = {
        SubmissionState.SENT: waits.unpack,
        SubmissionState.UNPACKED: waits.check / 2,
        SubmissionState.CHECKING: waits.check / 2,
        SubmissionState.WAITING: waits.line if machines else None,
        SubmissionState.REVIEWING: waits.review if machines else None,
    }.get(state)
    return None if after is None else row.moved_at + dt.timedelta(seconds=after)


def _goes(row: StoreSubmissionRow) -> dt.datetime | None:
    going, at = Going(row.asked["going"]), row.asked.get("at")
    if going is Going.AT_ONCE:
        return row.moved_at
    return max(row.moved_at, dt.datetime.fromisoformat(at)) if going is Going.AT and at else None


def _unpack(shop: Shop, session: Session, row: StoreSubmissionRow, due: dt.datetime) -> None:
    upload = session.get(UploadRow, row.asked["upload"])
    source = shop.upload_file(row.asked["upload"])
    if upload is None or upload.lost or not source.is_file():
        move(shop, session, row, SubmissionEvent.LOSE, MACHINES, "what was uploaded is not there any more", at=due)
        return
    target = shop.folder / "bundles" / row.asked["sha256"]
    if not target.exists():
        beside = target.with_suffix(".part")
        shutil.copyfile(source, beside)
        beside.replace(target)
    move(shop, session, row, SubmissionEvent.UNPACK, MACHINES, at=due)


def _check(shop: Shop, session: Session, row: StoreSubmissionRow, due: dt.datetime) -> None:
    found = check(shop.character, shop.get(session, "rules"), row.asked, shop.folder / "bundles" / row.asked["sha256"])
    row.findings = [f.plain() for f in found]
    blockers = [f for f in found if f.severity == "blocker"]
    if blockers:
        first = blockers[0]
        said = (f"{first.message}.", first.where, first.code)
        move(shop, session, row, SubmissionEvent.REFUSE, MACHINES, *said, at=due)
    else:
        move(shop, session, row, SubmissionEvent.QUEUE, MACHINES, at=due)
