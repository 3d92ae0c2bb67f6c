"""Guessing secrets: each try is counted before anything is compared, by whose secret it is and by where it comes from.

Counted in the database, in a transaction of its own that ends before the count: of many tries at one moment no more are compared
than of as many one after the other, whichever process they reach. A try that is refused here does not count: who guesses on
keeps the rightful person out for minutes, not for ever, and never out of sessions and tokens that are there.
"""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from sqlalchemy import ColumnElement, delete, func, select

from rampa.core.errors import Denied, Unavailable
from rampa.db import AuditEventRow, GuessRow, new_id
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin

WITHIN = dt.timedelta(minutes=5)
LIMITS = {
    "sign-in": (10, 40),
    "unlock": (10, 20),
    "enrol": (10, 40),
    "factor": (10, 40),
    "passkey": (10, 40),
    "request": (20, 20),
    "register": (40, 40),
}
"""Kind -> tries that are compared within that time: at one secret, from one address or person."""
AT_ONCE, PATIENCE = 2, 20.0
_hashing = threading.BoundedSemaphore(AT_ONCE)


@dataclass(frozen=True)
class Guess:
    """`account` is whose secret it is; `address` where the try comes from, empty where that is not counted."""

    kind: str
    account: str
    address: str


@contextmanager
def hashing() -> Iterator[None]:
    """Argon2 takes 64 MiB and four cores for a moment: so many at once in this process, the others wait. `Unavailable` for
    who waited too long."""
    if not _hashing.acquire(timeout=PATIENCE):
        raise Unavailable("sign-in.busy", "too many people sign in at this moment", hint="Try again in a minute.")
    try:
        yield
    finally:
        _hashing.release()


def count(services: Services, guess: Guess, by: Actor, subject: str) -> None:
    """Raises `Denied` when there were too many. `subject` names the secret in the event that says so once."""
    ident, now = new_id(), services.now()
    with begin(services) as uow:
        uow.session.execute(delete(GuessRow).where(GuessRow.at < now - WITHIN))
        row = GuessRow(id=ident, kind=guess.kind, account=guess.account[:200], address=guess.address[:64], at=now)
        uow.session.add(row)
    of_secret, of_address = LIMITS[guess.kind]
    with begin(services, by) as uow:
        counted = [(_same_secret(guess), of_secret)]
        if guess.address:
            counted.append((_same_address(guess), of_address))
        for alike, limit in counted:
            there, oldest = uow.session.execute(select(func.count(), func.min(GuessRow.at)).where(alike)).one()
            if there > limit:
                uow.session.execute(delete(GuessRow).where(GuessRow.id == ident))
                _tell_once(uow, guess, subject)
                seconds = max(1, round((oldest + WITHIN - now).total_seconds()))
                break
        else:
            return
    raise Denied(
        f"{guess.kind}.throttled", "there were too many failed attempts", hint=f"Try again in {seconds} seconds."
    )


def _tell_once(uow: UnitOfWork, guess: Guess, subject: str) -> None:
    """Once in the time that tries count: who goes on for hours would else fill the events."""
    act, since = f"{guess.kind}.throttle", uow.now - WITHIN
    told = select(AuditEventRow.id).where(AuditEventRow.at > since, AuditEventRow.act == act)
    if uow.session.scalar(told.where(AuditEventRow.subject == subject).limit(1)) is None:
        audit.record(uow, act, subject, address=guess.address)


def failed(services: Services, guess: Guess, by: Actor, subject: str) -> None:
    """The secret was wrong: that is an event."""
    with begin(services, by) as uow:
        audit.record(uow, f"{guess.kind}.refuse", subject, address=guess.address)


def forget(services: Services, guess: Guess) -> None:
    """The secret was right: earlier tries at it were typing errors."""
    with begin(services) as uow:
        uow.session.execute(delete(GuessRow).where(_same_secret(guess)))


def _same_secret(guess: Guess) -> ColumnElement[bool]:
    return (GuessRow.kind == guess.kind) & (GuessRow.account == guess.account[:200])


def _same_address(guess: Guess) -> ColumnElement[bool]:
    return (GuessRow.kind == guess.kind) & (GuessRow.address == guess.address[:64])
