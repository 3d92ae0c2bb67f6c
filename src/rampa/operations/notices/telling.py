"""Writing to people of what happened: at once, but not more often than every five minutes; and once a day.

What is told is forgotten in the transaction that puts the letter on its way: nothing is told twice, and nothing is lost.
"""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, func, select

from rampa.core.notices.kinds import kind_of
from rampa.core.notices.letter import Told, write_letter
from rampa.db import NoticeReaderRow, NoticeRow, queue
from rampa.operations.base import Act, Services, UnitOfWork, audit, begin, may
from rampa.operations.notices.choices import settle
from rampa.schema.common import Role

PAUSE = dt.timedelta(minutes=5)
"""Between two letters at once to one person: what a storm brings meanwhile is one letter."""
HOUR = 6
"""Of the day in UTC, when digests go."""
READ = 400
"""Of the newest events; the others are counted."""


def tell_due(services: Services) -> int:
    """Letters that were put on their way."""
    sent = 0
    with begin(services) as uow:
        settle(uow)
        people = list(uow.session.scalars(select(NoticeReaderRow.person_id)))
    for person in people:
        with begin(services) as uow:
            row = uow.session.get(NoticeReaderRow, person, with_for_update={"skip_locked": True, "of": NoticeReaderRow})
            if row is None:
                continue
            if row.at_once_at is None or row.at_once_at + PAUSE <= uow.now:
                sent += _tell(uow, row, daily=False)
            if _day_came(row, uow.now):
                sent += _tell(uow, row, daily=True)
    return sent


def _day_came(row: NoticeReaderRow, now: dt.datetime) -> bool:
    due = now.replace(hour=HOUR, minute=0, second=0, microsecond=0)
    due = due if due <= now else due - dt.timedelta(days=1)
    return row.daily_at is None or row.daily_at < due


def _tell(uow: UnitOfWork, row: NoticeReaderRow, *, daily: bool) -> int:
    """1 where a letter went. Somebody who may not read the studio any more is told nothing."""
    of = (NoticeRow.person_id == row.person_id, NoticeRow.daily == daily)
    person = row.person
    wanted = person.disabled_at is None and may(Role(person.role), Act.READ)
    total = uow.session.scalar(select(func.count()).select_from(NoticeRow).where(*of)) or 0
    newest = select(NoticeRow).where(*of).order_by(NoticeRow.event_id.desc()).limit(READ)
    events = [n.event for n in uow.session.scalars(newest)] if total and wanted else []
    others = [e for e in events if e.who != person.name]
    told = [Told(kind, e.title or "", e.at, audit.said(e)) for e in others if (kind := kind_of(e.act))]
    uow.session.execute(delete(NoticeRow).where(*of))
    if daily:
        row.daily_at = uow.now
    # What one did oneself is no news.
    total -= len(events) - len(told)
    if not told:
        return 0
    row.at_once_at = row.at_once_at if daily else uow.now
    letter = write_letter(told, total, uow.services.origin, daily=daily)
    queue.put(uow.session, "send_letter", queue.MAIL, to=person.email, subject=letter.subject, text=letter.text)
    return 1
