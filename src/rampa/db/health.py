"""What devices report: batches as they came, so that none counts twice, and what happened on which build."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from rampa.core.health.comparison import Trouble
from rampa.db.base import Base, Coded


class HealthBatchRow(Base):
    """A batch that was taken. A device sends again what it does not know to have arrived."""

    __tablename__ = "health_batch"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), primary_key=True)
    device: Mapped[str] = mapped_column(String(64), primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(index=True)


class HealthEventRow(Base):
    """One install, launch or session. `at` by the service's clock; `turn` counts those of a device, build and kind from 1."""

    __tablename__ = "health_event"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"))
    device: Mapped[str] = mapped_column(String(64))
    at: Mapped[dt.datetime]
    received_at: Mapped[dt.datetime]
    kind: Mapped[Trouble] = mapped_column(Coded(Trouble))
    bad: Mapped[bool]
    cause: Mapped[str] = mapped_column(String(60), default="")
    seconds: Mapped[float] = mapped_column(default=0.0)
    form: Mapped[str] = mapped_column(String(40), default="")
    """The device's class, such as visor-2."""
    level: Mapped[str] = mapped_column(String(40), default="")
    turn: Mapped[int] = mapped_column(default=1)
    simulated: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (
        Index("ix_health_event_build_received", "build_id", "received_at"),
        Index("ix_health_event_device", "build_id", "device", "kind"),
    )
