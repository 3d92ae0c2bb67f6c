"""The studio's calendar: agreements that people write down, who was reminded of what, feeds of people."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, Text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.db.base import Base, Identified
from rampa.db.people import PersonRow


class AgreementRow(Identified, Base):
    """Something that was agreed with somebody until a day."""

    __tablename__ = "agreement"
    name: Mapped[str] = mapped_column(String(100), unique=True)
    partner: Mapped[str] = mapped_column(String(100))
    ends_at: Mapped[dt.datetime]
    note: Mapped[str] = mapped_column(Text, default="")
    made_by: Mapped[str] = mapped_column(String(200))


class ReminderRow(Base):
    """That people were reminded of an end at so many days; the end belongs to it: what is renewed is told of anew."""

    __tablename__ = "calendar_reminder"
    key: Mapped[str] = mapped_column(String(200), primary_key=True)
    ends_at: Mapped[dt.datetime] = mapped_column(primary_key=True)
    days: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime]


class CalendarFeedRow(Base):
    """A person's own address of the calendar; only the SHA-256 of its secret is kept."""

    __tablename__ = "calendar_feed"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    made_at: Mapped[dt.datetime]
    person: Mapped[PersonRow] = relationship(lazy="joined", innerjoin=True)
