"""Going live without a person: where a storefront was told to wait, Rampa says when.

It waits for the slowest of those that go together, for the moment, and for the gates of the channel.
"""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import RampaError, Refused
from rampa.core.submission.course import Course
from rampa.core.submission.life import ON_SHOW, SubmissionState
from rampa.db import SubmissionRow
from rampa.operations.base import Services, UnitOfWork, begin, service_actor
from rampa.operations.submissions.acts import act
from rampa.schema.storefronts import Going
from rampa.schema.submissions import SubmissionAct

THERE = (SubmissionState.PASSED, *ON_SHOW)


def go_live_due(services: Services) -> int:
    """Lets go live what passed and whose time came; how many did."""
    with begin(services) as uow:
        rows = select(SubmissionRow).where(
            SubmissionRow.course == Course.THERE,
            SubmissionRow.state == SubmissionState.PASSED,
            SubmissionRow.going != Going.BY_ACT,
        )
        due = [row for row in uow.session.scalars(rows) if row.asked.going is Going.BY_ACT and _why_not(uow, row) == ""]
    return sum(_go(services, row) for row in due)


def _why_not(uow: UnitOfWork, row: SubmissionRow) -> str:
    if row.together is not None:
        others = uow.session.scalars(select(SubmissionRow).where(SubmissionRow.together == row.together))
        slow = [o for o in others if not o.over and not (o.course is Course.THERE and o.state in THERE)]
        if slow:
            return f"it goes live with {slow[0].name} at {slow[0].storefront}, which is {slow[0].words}"
    if row.going_at is not None and row.going_at > uow.now:
        return f"it goes live at {row.going_at:%Y-%m-%d %H:%M} UTC"
    return ""


def _go(services: Services, row: SubmissionRow) -> bool:
    asked = SubmissionAct(act="go-live", share=row.asked.share)
    try:
        act(services, service_actor("the schedule"), row.title.slug, row.number, asked)
    except RampaError as error:
        with begin(services) as uow:
            mine = uow.session.get_one(SubmissionRow, row.id, with_for_update={"of": SubmissionRow})
            closed = isinstance(error, Refused) and error.code == "gate.closed"
            mine.said = f"{error.message}; it goes live by itself once that is mended" if closed else error.message
        return False
    return True
