"""Creating calls that can be sent twice: the second answers what the first did."""

from __future__ import annotations

import datetime as dt
import hmac
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.errors import Invalid
from rampa.core.signing.seal import keys_of
from rampa.db import IdempotentAnswerRow, new_id
from rampa.operations.base.context import Services
from rampa.operations.base.unit_of_work import UnitOfWork
from rampa.schema.common import Wire

W = TypeVar("W", bound=Wire)
KEPT = dt.timedelta(days=7)
LABEL = b"rampa idempotency"


@dataclass(frozen=True)
class Once:
    """`key` from Idempotency-Key, and a SHA-256 over what was asked. That never rests: what is asked may hold a password."""

    key: str
    request_digest: bytes


def once(uow: UnitOfWork, asked: Once | None, kind: type[W], make: Callable[[], W]) -> W:
    """Runs `make` in this transaction, or answers what it gave before. Two at the same moment: one waits."""
    if asked is None:
        return make()
    now = uow.now
    uow.session.execute(delete(IdempotentAnswerRow).where(IdempotentAnswerRow.at < now - KEPT))
    # In the same transaction as the answer: a call that fails leaves no key behind, and can be sent again.
    row = insert(IdempotentAnswerRow).values(
        id=new_id(),
        principal=uow.actor.principal,
        key=asked.key,
        request_digest=_sealed(uow.services, asked)[0],
        status=0,
        body={},
        at=now,
    )
    # The second of two at the same moment waits here until the first has committed, then finds its row.
    mine = uow.session.execute(row.on_conflict_do_nothing().returning(IdempotentAnswerRow.id)).scalar()
    if mine is None:
        return _earlier(uow, asked, kind)
    made = make()
    answer = uow.session.get_one(IdempotentAnswerRow, mine)
    answer.status, answer.body = 201, made.model_dump(mode="json")
    return made


def answered(uow: UnitOfWork, asked: Once | None, kind: type[W]) -> W | None:
    """What the same call gave before; None where it comes for the first time. For calls that ask others before they make."""
    if asked is None:
        return None
    rows = select(IdempotentAnswerRow.id).where(
        IdempotentAnswerRow.principal == uow.actor.principal, IdempotentAnswerRow.key == asked.key
    )
    return _earlier(uow, asked, kind) if uow.session.scalar(rows) is not None else None


def _sealed(services: Services, asked: Once) -> list[bytes]:
    """What rests of what was asked, by each master key, the one that seals first: without one, nobody can try passwords."""
    keys = [hmac.digest(master, LABEL, "sha256") for master in keys_of(services.master_key)]
    return [hmac.digest(key, asked.request_digest, "sha256") for key in keys]


def _earlier(uow: UnitOfWork, asked: Once, kind: type[W]) -> W:
    row = uow.session.scalars(
        select(IdempotentAnswerRow).where(
            IdempotentAnswerRow.principal == uow.actor.principal, IdempotentAnswerRow.key == asked.key
        )
    ).one()
    # A key that comes with another body is a mistake of the caller: answering the first call's result would hide it.
    if row.request_digest not in _sealed(uow.services, asked):
        raise Invalid(
            "idempotency.reused",
            "this Idempotency-Key was used for another call",
            where="Idempotency-Key",
            hint="Use a new key for every new thing that you create.",
        )
    return kind.model_validate(row.body)
