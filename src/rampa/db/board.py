"""What the board is made of, and which transactions changed it.

Triggers note the number of every transaction that writes to one of its tables (migration 0020). A snapshot says which
transactions it sees (PostgreSQL, section 9.27.1, pg_snapshot): when every noted one that is seen now was seen then, nothing
has changed since.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import delete, text
from sqlalchemy.dialects.postgresql.base import ischema_names
from sqlalchemy.orm import Mapped, Session, mapped_column
from sqlalchemy.types import UserDefinedType

from rampa.db.base import Base

KEPT = dt.timedelta(hours=1)
CHANGED = text(
    "select exists (select from board_change where xid >= pg_snapshot_xmin(cast(:seen as pg_snapshot))"
    " and not pg_visible_in_snapshot(xid, cast(:seen as pg_snapshot)))"
)


class Xid8(UserDefinedType[Any]):
    """A transaction's number."""

    cache_ok = True

    def get_col_spec(self, **_: object) -> str:
        return "xid8"


ischema_names["xid8"] = Xid8
"""SQLAlchemy's own list does not have it."""


class BoardChangeRow(Base):
    __tablename__ = "board_change"
    xid: Mapped[Any] = mapped_column(Xid8, primary_key=True)
    at: Mapped[dt.datetime]


def board_snapshot(session: Session) -> str:
    """What is seen now."""
    return str(session.scalar(text("select pg_current_snapshot()::text")))


def board_changed(session: Session, seen: str) -> bool:
    """Whether what the board shows changed after this snapshot, which is no older than `KEPT`."""
    return bool(session.scalar(CHANGED, {"seen": seen}))


def forget_board_changes(session: Session, now: dt.datetime) -> None:
    session.execute(delete(BoardChangeRow).where(BoardChangeRow.at < now - KEPT))
