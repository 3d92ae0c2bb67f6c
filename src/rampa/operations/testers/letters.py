"""Letters to those who are invited, one after another; what could not go waits, is tried again, and says why."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable

from sqlalchemy import or_, select

from rampa.core.errors import Refused, Unavailable
from rampa.core.testers.invitation import InvitationState
from rampa.db import InvitationRow, StudioRow, locked
from rampa.operations.base import Services, begin
from rampa.operations.testers.links import invitation_code

Send = Callable[[str, str, str], None]
"""(to, subject, text). Raises `Unavailable` for later, `Refused` for an address that is not taken."""
FIRST, LONGEST = 5, 300
"""Seconds until a letter is tried again: twice as long each time."""


def send_due(services: Services, send: Send) -> int:
    """All that are due now; ends with the first that the mail server is not there for. Returns how many went."""
    gone = 0
    while True:
        with begin(services) as uow:
            due = (
                select(InvitationRow)
                .where(InvitationRow.state == InvitationState.OPEN, InvitationRow.sent_at.is_(None))
                .where(InvitationRow.expires_at > uow.now)
                .where(or_(InvitationRow.send_after.is_(None), InvitationRow.send_after <= uow.now))
                .order_by(InvitationRow.id)
                .limit(1)
            )
            row = next(iter(locked(uow.session, due, skip=True)), None)
            if row is None:
                return gone
            studio = uow.session.scalars(select(StudioRow.name)).one()
            try:
                send(row.email, _subject(row), _text(services, row, studio))
                row.sent_at, row.unsent = uow.now, ""
                gone += 1
            except Refused as error:
                # Not again by itself: an address that the server does not take today it will not take in an hour.
                row.unsent, row.send_after = error.message[:200], row.expires_at
            except Unavailable as error:
                row.tries += 1
                wait = min(LONGEST, FIRST * 2 ** min(row.tries - 1, 10))
                row.unsent, row.send_after = error.message[:200], uow.now + dt.timedelta(seconds=wait)
                return gone


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
