"""Locked and unlocked: an identity with a passphrase is opened for a stated time, or for one run, by a person who knows it.

While it is unlocked its secret rests under the master key alone, so that any service process can sign; at the end the row goes.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Sequence

from sqlalchemy import delete, or_, select

from rampa.core.errors import Conflict, Invalid
from rampa.core.run import life as run_life
from rampa.core.run.life import RunState
from rampa.core.signing import passphrase, succession
from rampa.core.signing.seal import seal, unseal
from rampa.db import RunRow, SigningIdentityRow, UnlockRow, find_key, find_run, new_id, queue
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.people.guesses import Guess, count, failed, forget, hashing
from rampa.schema.signing import identities as wire

FOR_A_RUN = dt.timedelta(days=7)
"""A run that waits longer than this for an agent asks again."""


def unlock(services: Services, actor: Actor, name: str, asked: wire.UnlockIn) -> None:
    """Raises `Invalid` for a wrong passphrase. Runs that wait for it go on."""
    secret = _opened(services, actor, name, asked)
    with begin(services, actor) as uow:
        row = find_key(uow.session, name, lock=True)
        run = find_run(uow.session, asked.title, asked.run) if asked.run else None
        now = services.now()
        until = now + (FOR_A_RUN if run else dt.timedelta(minutes=asked.minutes))
        ident = new_id()
        uow.session.add(
            UnlockRow(
                id=ident,
                identity_id=row.id,
                run_id=run.id if run else None,
                sealed=seal(secret, services.master_key, f"unlock:{ident}", services.random),
                expires_at=until,
                unlocked_by=actor.name,
                created_at=now,
            )
        )
        detail = {"run": run.name} if run else {"until": until.isoformat(timespec="seconds")}
        audit.record(uow, "key.unlock", name, None, **detail)
        queue.put(uow.session, "assign", queue.RUNS, lock="assign")


def _opened(services: Services, actor: Actor, name: str, asked: wire.UnlockIn) -> bytes:
    """What the passphrase opens; outside any transaction, since deriving its key takes a moment."""
    with begin(services) as uow:
        row = find_key(uow.session, name)
        if not row.protected:
            raise Conflict("key.open", f"{name} has no passphrase: it is never locked")
        if asked.run and not asked.title:
            raise Invalid("unlock.title", "say whose run it is", where="title")
        run = find_run(uow.session, asked.title, asked.run) if asked.run else None
        if run is not None and (run.order.identity != name or life_ended(run)):
            why = "has ended" if life_ended(run) else f"does not sign with {name}"
            raise Conflict("unlock.run", f"{run.name} {why}", where="run")
    label = f"identity:{name}"
    guess = Guess("unlock", name, str(actor.principal))
    count(services, guess, actor, name)
    try:
        with hashing():
            secret = passphrase.unlock(unseal(row.sealed, services.master_key, label), asked.passphrase, label)
    except Invalid:
        failed(services, guess, actor, name)
        raise
    forget(services, guess)
    return secret


def life_ended(run: RunRow) -> bool:
    return RunState(run.state) in run_life.ENDED


def lock(services: Services, actor: Actor, name: str) -> None:
    """Locks at once, whatever was said before. Doing it twice is no error."""
    with begin(services, actor) as uow:
        row = find_key(uow.session, name, lock=True)
        uow.session.execute(delete(UnlockRow).where(UnlockRow.identity_id == row.id))
        audit.record(uow, "key.lock", name)


def find_unlock(uow: UnitOfWork, row: SigningIdentityRow, run: uuid.UUID | None) -> UnlockRow | None:
    """What covers a use now: an unlocking for a time, or one for this very run."""
    unlocks = open_unlocks(uow, [row]).get(row.id, [])
    return next((u for u in unlocks if u.run_id is None or u.run_id == run), None)


def open_unlocks(uow: UnitOfWork, rows: Sequence[SigningIdentityRow]) -> dict[uuid.UUID, list[UnlockRow]]:
    """Those that hold now, by identity; what ended is dropped."""
    of_these = UnlockRow.identity_id.in_({r.id for r in rows})
    uow.session.execute(delete(UnlockRow).where(of_these, UnlockRow.expires_at <= uow.now))
    asked = select(UnlockRow).where(of_these).order_by(UnlockRow.expires_at.desc())
    found: dict[uuid.UUID, list[UnlockRow]] = {}
    for unlock in uow.session.scalars(asked):
        found.setdefault(unlock.identity_id, []).append(unlock)
    return found


def locked_for(uow: UnitOfWork, run: RunRow) -> str:
    """The name of the identity that is still locked for this run; empty when none is."""
    row = uow.session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.name == run.order.identity))
    for one in _signers(uow, row) if row is not None else []:
        holds = or_(UnlockRow.run_id.is_(None), UnlockRow.run_id == run.id)
        rows = select(UnlockRow.id).where(UnlockRow.identity_id == one.id, UnlockRow.expires_at > uow.now, holds)
        if one.protected and uow.session.scalar(rows.limit(1)) is None:
            return one.name
    return ""


def _signers(uow: UnitOfWork, row: SigningIdentityRow) -> list[SigningIdentityRow]:
    """After a hand-over the oldest identity signs as well."""
    if not row.succession:
        return [row]
    oldest = succession.fingerprints(succession.decode(row.succession))[0]
    first = uow.session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.fingerprint == oldest))
    return [row] if first is None else [first, row]
