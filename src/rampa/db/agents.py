"""Agents: who they are, what they said they can do, and when they were last heard of."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.run.abilities import Abilities
from rampa.db.base import Base, Identified, Typed, first_of


class AgentRow(Identified, Base):
    """A principal of its own. `public_key` (Ed25519, raw) belongs to a key that never leaves the agent's machine.

    `instance` is one start of the process: a new one means that what the old one had is lost.
    """

    __tablename__ = "agent"
    name: Mapped[str] = mapped_column(String(60), unique=True)
    public_key: Mapped[bytes] = mapped_column(LargeBinary)
    enrolled_by: Mapped[str] = mapped_column(String(200))
    instance: Mapped[str] = mapped_column(String(64))
    abilities: Mapped[Abilities] = mapped_column(Typed(Abilities))
    at_once: Mapped[int] = mapped_column(default=1)
    paused: Mapped[bool] = mapped_column(default=False)
    stopped: Mapped[bool] = mapped_column(default=False)
    """It said itself that it goes."""
    seen_at: Mapped[dt.datetime]
    started_at: Mapped[dt.datetime]


class EnrolmentRow(Identified, Base):
    """A code that enrols one agent, once; only its SHA-256 is kept."""

    __tablename__ = "enrolment"
    agent: Mapped[str] = mapped_column(String(60), unique=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary)
    made_by: Mapped[str] = mapped_column(String(200))
    expires_at: Mapped[dt.datetime]


class AgentTokenRow(Identified, Base):
    """What an agent calls with, for minutes; only the SHA-256 of its secret is kept. `nonce` is that of the proof it came for:
    no proof is taken twice."""

    __tablename__ = "agent_token"
    agent_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("agent.id", ondelete="CASCADE"), index=True)
    instance: Mapped[str] = mapped_column(String(64))
    nonce: Mapped[str] = mapped_column(String(64), unique=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    expires_at: Mapped[dt.datetime]
    agent: Mapped[AgentRow] = relationship(lazy="joined")


def find_agent(session: Session, name: str, *, lock: bool = False) -> AgentRow:
    rows = select(AgentRow).where(AgentRow.name == name)
    row = first_of(session, rows, lock=lock)
    if row is None:
        known = ", ".join(session.scalars(select(AgentRow.name).order_by(AgentRow.name).limit(10)))
        hint = f"There is: {known}." if known else "Enrol one: `rampa agent enrol NAME`."
        raise NotFound("agent.unknown", f"there is no agent {name!r}", where="agent", hint=hint)
    return row
