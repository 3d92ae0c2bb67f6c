"""The studio's calendar: read, agreements written down, reminders, and a feed of one's own (RFC 5545)."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
import uuid

from sqlalchemy import delete, select

from rampa.core.calendar import KIND_WORDS, REMIND, Ending, days_left, reminder
from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.quantity import counted
from rampa.db import AgreementRow, CalendarFeedRow, PersonRow, ReminderRow, StudioRow, queue
from rampa.operations.base import Act, Actor, Services, action, audit, begin, may, must
from rampa.operations.calendar.endings import endings
from rampa.schema import calendar as wire
from rampa.schema.common import Role

LONGEST = dt.timedelta(days=365 * 30)
ALARM = dt.timedelta(days=7)
"""Before an end, in a reader's own calendar."""


def get_calendar(services: Services, actor: Actor) -> wire.CalendarOut:
    """Tokens are one's own; owners see everybody's."""
    with begin(services, actor) as uow:
        found = endings(uow, actor.principal, everybodys=may(actor.role, Act.CHANGE_PERSON))
        feed = uow.session.get(CalendarFeedRow, actor.principal) is not None
        acts = [action(actor, Act.KEEP_CALENDAR, "agree"), action(actor, Act.READ, "feed")]
        return wire.CalendarOut(
            items=[_out(e, uow.now) for e in found], feed=feed, reminded_at=list(REMIND), allowed_actions=acts
        )


def agree(services: Services, actor: Actor, asked: wire.NewAgreement) -> wire.CalendarOut:
    """A new one, or another end of one that is there. Raises `Invalid` for an end that is over."""
    must(actor, Act.KEEP_CALENDAR)
    with begin(services, actor) as uow:
        if not uow.now < asked.ends_at < uow.now + LONGEST:
            message = f"{asked.ends_at:%Y-%m-%d} is over, or more than {LONGEST.days // 365} years ahead"
            raise Invalid("agreement.ends", message, where="ends_at")
        row = uow.session.scalar(select(AgreementRow).where(AgreementRow.name == asked.name).with_for_update())
        if row is not None and row.partner != asked.partner:
            hint = "Remove that one, or name this one otherwise."
            raise Conflict("agreement.partner", f"{asked.name} is with {row.partner}", where="partner", hint=hint)
        if row is None:
            row = AgreementRow(name=asked.name, partner=asked.partner, created_at=uow.now)
            uow.session.add(row)
        row.ends_at, row.note, row.made_by = asked.ends_at, asked.note, actor.name
        audit.record(uow, "agreement.keep", asked.name, until=f"{asked.ends_at:%Y-%m-%d}")
    return get_calendar(services, actor)


def drop_agreement(services: Services, actor: Actor, name: str) -> None:
    must(actor, Act.KEEP_CALENDAR)
    with begin(services, actor) as uow:
        gone = uow.session.execute(delete(AgreementRow).where(AgreementRow.name == name).returning(AgreementRow.id))
        if gone.scalar() is None:
            raise NotFound("agreement.unknown", f"there is no agreement {name!r}", where="agreement")
        audit.record(uow, "agreement.drop", name)


def make_feed(services: Services, actor: Actor) -> wire.FeedAddress:
    """A new address; an earlier one of this person ends."""
    secret = secrets.token_urlsafe(32)
    with begin(services, actor) as uow:
        uow.session.execute(delete(CalendarFeedRow).where(CalendarFeedRow.person_id == actor.principal))
        row = CalendarFeedRow(person_id=actor.principal, digest=_digest(secret), made_at=uow.now)
        uow.session.add(row)
        audit.record(uow, "calendar.feed", actor.name)
    return wire.FeedAddress(address=f"{services.origin}/api/v1/calendar/feeds/{secret}")


def end_feed(services: Services, actor: Actor) -> None:
    with begin(services, actor) as uow:
        uow.session.execute(delete(CalendarFeedRow).where(CalendarFeedRow.person_id == actor.principal))


def read_feed(services: Services, secret: str) -> bytes:
    """As iCalendar. Raises `NotFound` alike for an address that ended and for one that never was."""
    with begin(services) as uow:
        row = uow.session.scalar(select(CalendarFeedRow).where(CalendarFeedRow.digest == _digest(secret)))
        role = Role(row.person.role) if row is not None and row.person.disabled_at is None else None
        if row is None or role is None or not may(role, Act.READ):
            raise NotFound("calendar.feed", "there is no such feed", hint="Its owner made a new address, or ended it.")
        studio = uow.session.scalar(select(StudioRow.name)) or "Rampa"
        found = endings(uow, row.person_id, everybodys=may(role, Act.CHANGE_PERSON))
        return _written(studio, found, uow.now)


def _written(studio: str, found: list[Ending], now: dt.datetime) -> bytes:
    from icalendar import Alarm, Calendar, Event

    made = Calendar()
    made.add("prodid", "-//Rampa//What ends when//EN")
    made.add("version", "2.0")
    made.add("x-wr-calname", f"{studio}: what ends when")
    for each in found:
        event = Event()
        event.add("uid", f"{uuid.uuid5(uuid.NAMESPACE_URL, each.key)}@rampa")
        event.add("dtstamp", now)
        event.add("dtstart", each.ends)
        event.add("dtend", each.ends + dt.timedelta(minutes=15))
        event.add("summary", f"{each.name}: {KIND_WORDS[each.kind]} ends")
        event.add("description", f"To put it off: {each.mend}")
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", f"{each.name} ends in a week")
        alarm.add("trigger", -ALARM)
        event.add_component(alarm)
        made.add_component(event)
    return bytes(made.to_ical())


def remind_due(services: Services) -> int:
    """One letter to each owner with all that is due; how many endings it names. Each is told of at 30, 7 and 1 days, once."""
    with begin(services) as uow:
        told: dict[tuple[str, dt.datetime], set[int]] = {}
        for row in uow.session.scalars(select(ReminderRow)):
            told.setdefault((row.key, row.ends_at), set()).add(row.days)
        due = [
            (ending, days)
            for ending in endings(uow, None, everybodys=True)
            if (days := reminder(ending, uow.now, told.get((ending.key, ending.ends), ()))) is not None
        ]
        for ending, days in due:
            uow.session.add(ReminderRow(key=ending.key, ends_at=ending.ends, days=days, at=uow.now))
        if due:
            text = "\n".join(_line(ending, uow.now) for ending, _ in due) + "\n\nAll of it: rampa calendar list"
            subject = f"{counted(len(due), 'thing')} of the studio {'ends' if len(due) == 1 else 'end'} soon"
            owners = select(PersonRow.email).where(PersonRow.role == Role.OWNER, PersonRow.disabled_at.is_(None))
            for email in uow.session.scalars(owners):
                queue.put(uow.session, "send_letter", queue.MAIL, to=email, subject=subject, text=text)
        return len(due)


def _line(ending: Ending, now: dt.datetime) -> str:
    left = counted(days_left(ending, now), "day")
    return f"{ending.name}: {KIND_WORDS[ending.kind]} ends in {left}, {ending.ends:%Y-%m-%d %H:%M} UTC. {ending.mend}"


def _out(ending: Ending, now: dt.datetime) -> wire.EndingOut:
    return wire.EndingOut(
        kind=ending.kind,
        words=KIND_WORDS[ending.kind],
        name=ending.name,
        title=ending.title,
        ends=ending.ends,
        days=days_left(ending, now),
        over=ending.ends <= now,
        mend=ending.mend,
    )


def _digest(secret: str) -> bytes:
    return hashlib.sha256(secret.encode()).digest()
