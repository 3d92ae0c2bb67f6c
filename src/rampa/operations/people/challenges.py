"""Challenges that are good once, for minutes, and for one thing: who asks for a million of them fills nothing.

A challenge says itself until when it is good, under an HMAC of the service's key; only those that were answered are kept.

    challenge := random (16) | until, seconds since 1970 (8) | HMAC-SHA256 over purpose, whom it is for, and both (32)
"""

from __future__ import annotations

import datetime as dt
import hashlib
import hmac
import secrets

from sqlalchemy import delete
from sqlalchemy.dialects.postgresql import insert

from rampa.core.errors import Denied
from rampa.core.signing.seal import keys_of
from rampa.db import SpentChallengeRow
from rampa.operations.base import Services, begin

LIFE = dt.timedelta(minutes=5)
LABEL = b"rampa challenge"
_BODY = 24


def new_challenge(services: Services, purpose: str, whom: bytes = b"") -> bytes:
    until = int((services.now() + LIFE).timestamp())
    body = secrets.token_bytes(16) + until.to_bytes(8, "big")
    return body + _mark(keys_of(services.master_key)[0], purpose, whom, body)


def spend(services: Services, challenge: bytes, purpose: str, whom: bytes = b"") -> None:
    """Raises `Denied` for one that is not ours, is over, is for something or somebody else, or was answered before."""
    body, mark = challenge[:_BODY], challenge[_BODY:]
    ours = any(hmac.compare_digest(mark, _mark(key, purpose, whom, body)) for key in keys_of(services.master_key))
    now = services.now()
    if not ours or int.from_bytes(body[16:], "big") < now.timestamp():
        raise _over()
    row = insert(SpentChallengeRow).values(digest=hashlib.sha256(challenge).digest(), until=now + LIFE)
    with begin(services) as uow:
        uow.session.execute(delete(SpentChallengeRow).where(SpentChallengeRow.until < now))
        # The second of two at one moment waits here for the first, and finds its row.
        if uow.session.execute(row.on_conflict_do_nothing().returning(SpentChallengeRow.until)).scalar() is None:
            raise _over()


def _mark(master: bytes, purpose: str, whom: bytes, body: bytes) -> bytes:
    key = hmac.digest(master, LABEL, "sha256")
    return hmac.digest(key, b"\0".join((purpose.encode(), hashlib.sha256(whom).digest(), body)), "sha256")


def _over() -> Denied:
    return Denied("challenge.over", "this was asked too long ago, or was answered", hint="Try again from the start.")
