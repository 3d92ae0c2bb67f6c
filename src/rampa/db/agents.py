"""Agents: what they said they can do, and when they were last heard of."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, String, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from rampa.core.errors import NotFound
from rampa.core.run.abilities import Abilities
from rampa.db.base import Base, Identified, Typed


class AgentRow(Identified, Base):
    """`instance` is one start of the process: a new one means that what the old one had is lost."""

    __tablename__ = "agent"
    name: Mapped[str] = mapped_column(String(60), unique=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    instance: Mapped[str] = mapped_column(String(64))
    abilities: Mapped[Abilities] = mapped_column(Typed(Abilities))
    at_once: Mapped[int] = mapped_column(default=1)
    paused: Mapped[bool] = mapped_column(default=False)
    stopped: Mapped[bool] = mapped_column(default=False)
    """It said itself that it goes."""
    seen_at: Mapped[dt.datetime]
    started_at: Mapped[dt.datetime]


def find_agent(session: Session, name: str, *, lock: bool = False) -> AgentRow:
    rows = select(AgentRow).where(AgentRow.name == name)
    row = session.scalar(rows.with_for_update() if lock else rows)
    if row is None:
        known = ", ".join(session.scalars(select(AgentRow.name).order_by(AgentRow.name).limit(10)))
        hint = f"There is: {known}." if known else "Start one: `rampa agent start`."
        raise NotFound("agent.unknown", f"there is no agent {name!r}", where="agent", hint=hint)
    return row
