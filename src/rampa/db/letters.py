"""What people want to be told of by letter, and what waits to be told."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.core.notices.kinds import NoticeKind, NoticeTime
from rampa.db.base import Base, Coded, Identified
from rampa.db.people import AuditEventRow, PersonRow
from rampa.db.titles import TitleRow


class NoticeChoiceRow(Identified, Base):
    """`title_id` None: of every title that has no choice of its own, and of what belongs to none. `acts`: what the kind stands
    for, where the database looks (migration 0026)."""

    __tablename__ = "notice_choice"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    kind: Mapped[NoticeKind] = mapped_column(Coded(NoticeKind))
    title_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("title.id", ondelete="CASCADE"))
    time: Mapped[NoticeTime] = mapped_column(Coded(NoticeTime))
    acts: Mapped[list[str]] = mapped_column(JSONB)
    title: Mapped[TitleRow | None] = relationship(lazy="joined")
    __table_args__ = (UniqueConstraint("person_id", "kind", "title_id", postgresql_nulls_not_distinct=True),)


class NoticeRow(Base):
    """An event that a person is to be told of; gone once the letter is on its way."""

    __tablename__ = "notice"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    event_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("audit_event.id", ondelete="CASCADE"), primary_key=True)
    daily: Mapped[bool]
    event: Mapped[AuditEventRow] = relationship(lazy="joined", innerjoin=True)


class NoticeReaderRow(Base):
    """When a person was last written to; locked while their letter is made."""

    __tablename__ = "notice_reader"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    at_once_at: Mapped[dt.datetime | None]
    daily_at: Mapped[dt.datetime | None]
    person: Mapped[PersonRow] = relationship(lazy="joined", innerjoin=True)
