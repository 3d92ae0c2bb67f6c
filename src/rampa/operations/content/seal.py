"""Whether a build's encrypted content can be read by those who have it."""

from __future__ import annotations

from rampa.db import BuildRow, UnsealingKeyRow
from rampa.operations.base import UnitOfWork


def is_locked(uow: UnitOfWork, build: BuildRow) -> bool:
    """It has encrypted depots whose key was not given out yet."""
    row = uow.session.get(UnsealingKeyRow, build.id)
    return row is not None and row.unsealed_at is None
