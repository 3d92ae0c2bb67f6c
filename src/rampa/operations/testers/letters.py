"""Letters to those who are invited, one after another; what could not go waits, is tried again, and says why."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable

from sqlalchemy import Select, or_, select

from rampa.core.errors import Refused, Unavailable
from rampa.db import InvitationRow, StudioRow, good_invitations, locked
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.testers.links import invitation_code

Send = Callable[[str, str, str], None]
"""(to, subject, text). Raises `Unavailable` for later, `Refused` for an address that is not taken."""
FIRST, LONGEST = 5, 300
"""Seconds until a letter is tried again: twice as long each time."""
BATCH = 200
"""Letters that are looked for at once."""


def send_due(services: Services, send: Send) -> int:
    """All that are due now; ends with the first that the mail server is not there for. Returns how many went."""
    gone = 0
    before: list[uuid.UUID] = []
    # The same ones again are those that another worker holds.
    while (numbers := _due(services)) and numbers != before:
        before = numbers
        for number in numbers:
            sent = _send_one(services, number, send)
            if sent is None:
                return gone
            gone += sent
    return gone


def _due(services: Services) -> list[uuid.UUID]:
    """Some of them, oldest first: of tens of thousands that wait, not all are sorted for each."""
    with begin(services) as uow:
        return list(uow.session.scalars(_waiting(uow).order_by(InvitationRow.id).limit(BATCH)))


def _waiting(uow: UnitOfWork) -> Select[uuid.UUID]:
    return (
        select(InvitationRow.id)
        .where(good_invitations(uow.now), InvitationRow.sent_at.is_(None))
        .where(or_(InvitationRow.send_after.is_(None), InvitationRow.send_after <= uow.now))
    )


def _send_one(services: Services, number: uuid.UUID, send: Send) -> int | None:
    """1 where it went, 0 where it did not; None where the mail server is not there."""
    with begin(services) as uow:
        # Another worker may hold it, or it was withdrawn or sent since.
        mine = select(InvitationRow).where(InvitationRow.id.in_(_waiting(uow).where(InvitationRow.id == number)))
        row = next(iter(locked(uow.session, mine, skip=True)), None)
        if row is None:
            return 0
        studio = uow.session.scalars(select(StudioRow.name)).one()
        try:
            send(row.email, _subject(row), _text(services, row, studio))
            row.sent_at, row.unsent = uow.now, ""
            return 1
        except Refused as error:
            # Not again by itself: an address that the server does not take today it will not take in an hour.
            row.unsent, row.send_after = error.message[:200], row.expires_at
            return 0
        except Unavailable as error:
            row.tries += 1
            wait = min(LONGEST, FIRST * 2 ** min(row.tries - 1, 10))
            row.unsent, row.send_after = error.message[:200], uow.now + dt.timedelta(seconds=wait)
            return None


def _subject(row: InvitationRow) -> str:
    return f"{row.invited_by} invites you to test {row.group.title.name}"


def _text(services: Services, row: InvitationRow, studio: str) -> str:
    title = row.group.title.name
    code = invitation_code(services, row.id, row.turn)
    # Behind a #: what stands there is sent to no server and written into no log on the way.
    return (
        f"Hello{f' {row.name}' if row.name else ''},\n\n"
        f"{row.invited_by} of {studio} invites you to test {title}.\n\n"
        f"Open this link to accept or to decline. It works once, until {row.expires_at:%Y-%m-%d %H:%M} UTC:\n\n"
        f"{services.origin}/join#{code}\n\n"
        f"If you do not know {studio}, ignore this letter: nothing happens then.\n"
    )
