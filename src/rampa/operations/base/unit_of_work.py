"""The unit of work: one transaction, the services that it may use, and who asks.

Everything in it is committed together or not at all.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from rampa.operations.base.context import Actor, Services
from rampa.schema.common import Role

NOBODY = Actor(uuid.UUID(int=0), "", Role.VIEWER)
"""Reads alone, where it does not matter who asks."""


@dataclass(frozen=True)
class UnitOfWork:
    session: Session
    services: Services
    actor: Actor
    now: dt.datetime
    """One moment for all that happens in it."""

    def by(self, actor: Actor) -> UnitOfWork:
        """The same transaction, in somebody else's name."""
        return replace(self, actor=actor)


@contextmanager
def begin(services: Services, actor: Actor = NOBODY) -> Iterator[UnitOfWork]:
    """Commits at the end, rolls back on any error. A database that is not there is `Unavailable`."""
    with services.db.transaction() as session:
        yield UnitOfWork(session, services, actor, services.now())
