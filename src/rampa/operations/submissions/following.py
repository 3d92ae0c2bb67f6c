"""Following submissions: storefronts are asked for all of a title's at once, now and then, and at once when a notice came."""

from __future__ import annotations

import datetime as dt
import uuid
from collections import defaultdict

from sqlalchemy import or_, select

from rampa.core.errors import Denied, NotFound, RampaError, Unavailable
from rampa.core.submission.course import Course
from rampa.db import SubmissionRow, find_submission
from rampa.operations.base import Act, Actor, Services, begin, must, service_actor
from rampa.operations.channels.shown import moved
from rampa.operations.storefronts.accounts import doubted
from rampa.operations.storefronts.connection import storefront_of
from rampa.operations.storefronts.seen import keep_seen, keep_unknown
from rampa.operations.submissions.sending import WAITS, arrive
from rampa.operations.submissions.views import get_submission
from rampa.schema import submissions as wire
from rampa.schema.storefronts import SubmissionAt
from rampa.storefronts.port import StorefrontPort

Key = tuple[str, str]
"""(storefront, identifier)"""


def follow_due(services: Services) -> int:
    """Looks at those whose turn it is, and lets channels follow. How many were looked at."""
    with begin(services) as uow:
        waits = SubmissionRow.course.in_((Course.THERE, Course.BY_HAND))
        rows = uow.session.scalars(select(SubmissionRow).where(waits, SubmissionRow.next_at <= uow.now))
        due: dict[Key, list[uuid.UUID]] = defaultdict(list)
        for row in rows:
            due[row.storefront, row.asked.identifier].append(row.id)
    for (storefront, identifier), idents in due.items():
        _look(services, storefront, identifier, idents)
    return sum(map(len, due.values()))


def look(services: Services, actor: Actor, slug: str, number: int) -> wire.SubmissionOut:
    """Now. Raises what the storefront says where it does not answer or says no."""
    must(actor, Act.SUBMIT)
    with begin(services, actor) as uow:
        row = find_submission(uow.session, slug, number)
    if row.course in (Course.THERE, Course.BY_HAND):
        port = storefront_of(services, row.storefront)
        _keep(services, port, _there(port, row.asked.identifier), [row.id])
    return get_submission(services, actor, slug, number)


def hurry(services: Services, storefront: str, there_id: str) -> int:
    """A notice came: those are looked at with the next look. What a notice says beyond that is nobody's word."""
    with begin(services) as uow:
        rows = select(SubmissionRow).where(
            SubmissionRow.storefront == storefront, SubmissionRow.course != Course.DROPPED
        )
        mine = rows.where(or_(SubmissionRow.there_id == there_id, SubmissionRow.course == Course.BY_HAND))
        found = list(uow.session.scalars(mine.with_for_update(of=SubmissionRow)))
        for row in found:
            if row.course in (Course.THERE, Course.BY_HAND):
                row.next_at = uow.now
        return len(found)


def _look(services: Services, storefront: str, identifier: str, idents: list[uuid.UUID]) -> None:
    try:
        port = storefront_of(services, storefront)
        _keep(services, port, _there(port, identifier), idents)
    except RampaError as error:
        said = doubted(services, storefront, error) if isinstance(error, Denied) else error.sentence()
        _put_off(services, idents, error, said)


def _there(port: StorefrontPort, identifier: str) -> list[SubmissionAt]:
    try:
        return port.submissions(identifier)
    except NotFound:
        return []  # from a backup of before the title was known: each of them is asked for by its number below


def _keep(services: Services, port: StorefrontPort, there: list[SubmissionAt], idents: list[uuid.UUID]) -> None:
    by_id = {seen.id: seen for seen in there}
    for ident in idents:
        with begin(services) as uow:
            row = uow.session.get_one(SubmissionRow, ident)
            seen = by_id.get(row.there_id) if row.there_id else _handed_in(row, there)
        # The list has the newest alone: an older one is asked for by its number before it is called lost.
        if seen is None and row.there_id:
            try:
                seen = port.submission(row.there_id)
            except NotFound:
                pass
        if _kept(services, ident, seen):
            moved(services, ident)


def _handed_in(row: SubmissionRow, there: list[SubmissionAt]) -> SubmissionAt | None:
    """The one that a person handed in: the same bundle under the same version code."""
    asked = row.asked
    mine = (asked.platform, asked.version_code, asked.sha256)
    return next((s for s in there if (s.platform, s.version_code, s.sha256) == mine), None)


def _kept(services: Services, ident: uuid.UUID, seen: SubmissionAt | None) -> bool:
    with begin(services, service_actor("the storefront")) as uow:
        row = uow.session.get_one(SubmissionRow, ident, with_for_update={"of": SubmissionRow})
        if row.course is Course.BY_HAND:
            if seen is None:
                row.looked_at, row.next_at = uow.now, uow.now + dt.timedelta(seconds=10)
                return False
            arrive(uow, row)
        elif row.course is not Course.THERE:
            return False
        if seen is None:
            keep_unknown(uow, row)
            return True
        return keep_seen(uow, row, seen)


def _put_off(services: Services, idents: list[uuid.UUID], error: RampaError, said: str) -> None:
    """What a storefront does not say now it says later; an account that is lost is said here, too."""
    with begin(services) as uow:
        rows = select(SubmissionRow).where(SubmissionRow.id.in_(idents)).with_for_update(of=SubmissionRow)
        for row in uow.session.scalars(rows):
            wait = WAITS[min(row.tries, len(WAITS) - 1)] if isinstance(error, Unavailable) else 60
            row.tries += 1
            row.said, row.code = said[:1000], error.code[:60]
            row.next_at = uow.now + dt.timedelta(seconds=wait)
