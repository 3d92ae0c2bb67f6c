"""Finished builds that go before their storefront by themselves, as their profile says: once nothing is in the way.

They stand in the list from the beginning, with what they wait for; a person can withdraw them there. A newer build of the same
profile takes the place of one that waits.
"""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.submission.course import Course, CourseEvent
from rampa.core.submission.needs import NeedKey, NeedState
from rampa.db import BuildRow, SubmissionRow, find_title, newest_listing, next_submission, open_at, run_to_hand_on
from rampa.operations.base import Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.submissions.asked import asked_of
from rampa.operations.submissions.needs import needs_of
from rampa.operations.submissions.places import ask, find_places
from rampa.operations.submissions.rows import new_submission
from rampa.operations.submissions.sending import move
from rampa.schema.storefronts import Going

AGAIN = dt.timedelta(seconds=30)
"""Between two looks at what it waits for."""
WHO = "the profile document"


def submit_by_itself(services: Services, build: uuid.UUID) -> None:
    """For the queue; twice is no error."""
    with begin(services) as uow:
        row = uow.session.get(BuildRow, build)
        run = run_to_hand_on(uow.session, row) if row is not None else None
    if row is None or run is None or row.state is not BuildState.READY:
        return
    with begin(services, service_actor(run.started_by)) as uow:
        title = find_title(uow.session, row.title.slug, lock=True)
        places = [
            p for p in find_places(uow, title.slug, row.number, None, [], may_be_none=True) if p.profile.settings.submit
        ]
        listing = newest_listing(uow.session, title.id)
        for place in places:
            if open_at(uow.session, place.build, place.storefront) is not None or place.build.bundle is None:
                continue
            _drop_older(uow, place.build, place.storefront)
            asked = asked_of(uow, place, listing, "", Going.BY_ACT, 100)
            made = new_submission(
                uow, place, asked, next_submission(uow.session, title), listing.number if listing else 0
            )
            made.course = Course.WAITING
            uow.session.add(made)
            uow.session.flush()
            audit.record(uow, "submission.make", made.name, title.slug, storefront=place.title, build=place.build.name)


def begin_due(services: Services) -> int:
    """Looks at those that wait; how many begin to be sent."""
    with begin(services) as uow:
        rows = select(SubmissionRow).where(SubmissionRow.course == Course.WAITING, SubmissionRow.next_at <= uow.now)
        due = list(uow.session.scalars(rows.order_by(SubmissionRow.number)))
    return sum(_look(services, row.id) for row in due)


def _look(services: Services, ident: uuid.UUID) -> bool:
    actor = service_actor(WHO)
    with begin(services, actor) as uow:
        row = uow.session.get_one(SubmissionRow, ident)
        (place,) = find_places(uow, row.title.slug, row.build.number, None, [row.storefront])
    (known,) = ask(services, [place])
    needs = needs_of(services, actor, place, known)
    # Without a person: what a warning leaves to a person's judgement waits for one, too.
    strict = (NeedKey.GATES, NeedKey.ACCOUNT, NeedKey.BUILD)
    missing = [n for n in needs if n.state is NeedState.MISSING or (n.state is NeedState.WARNING and n.key in strict)]
    with begin(services, actor) as uow:
        mine = uow.session.get_one(SubmissionRow, ident, with_for_update={"of": SubmissionRow})
        if mine.course is not Course.WAITING:
            return False
        mine.looked_at, mine.next_at = uow.now, uow.now + AGAIN
        mine.said = f"{missing[0].said}" + (f" ({missing[0].mend})" if missing[0].mend else "") if missing else ""
        listing = newest_listing(uow.session, mine.title_id)
        if missing or listing is None:
            return False
        (place,) = find_places(uow, mine.title.slug, mine.build.number, None, [mine.storefront])
        mine.asked, mine.listing = asked_of(uow, place, listing, "", Going.BY_ACT, 100), listing.number
        move(uow, mine, CourseEvent.BEGIN)
        return True


def _drop_older(uow: UnitOfWork, build: BuildRow, storefront: str) -> None:
    rows = (
        select(SubmissionRow)
        .join(BuildRow, BuildRow.id == SubmissionRow.build_id)
        .where(SubmissionRow.course == Course.WAITING, SubmissionRow.storefront == storefront)
        .where(BuildRow.title_id == build.title_id, BuildRow.profile == build.profile)
    )
    for row in uow.session.scalars(rows.with_for_update(of=SubmissionRow)):
        move(uow, row, CourseEvent.DROP)
        row.said = f"{build.name} took its place"
