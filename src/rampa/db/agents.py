"""Agents: what they said they can do, and when they were last heard of."""

from __future__ import annotations

import datetime as dt
import uuid
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from rampa.db.base import Base, Identified


class AgentRow(Identified, Base):
    """`instance` is one start of the process: a new one means that what the old one had is lost."""

    __tablename__ = "agent"
    name: Mapped[str] = mapped_column(String(60), unique=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    instance: Mapped[str] = mapped_column(String(64))
    abilities: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    at_once: Mapped[int] = mapped_column(default=1)
    paused: Mapped[bool] = mapped_column(default=False)
    stopped: Mapped[bool] = mapped_column(default=False)
    """It said itself that it goes."""
    seen_at: Mapped[dt.datetime]
    started_at: Mapped[dt.datetime]
