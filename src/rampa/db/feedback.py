"""Feedback: what testers say of a build, and the words that follow."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, Index, String, Text, UniqueConstraint, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.testers.feedback import FeedbackState
from rampa.db.base import Base, Coded, Identified, first_of
from rampa.db.builds import BuildRow
from rampa.db.people import PersonRow
from rampa.db.titles import TitleRow, find_title


class FeedbackRow(Identified, Base):
    __tablename__ = "feedback"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), index=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), index=True)
    state: Mapped[FeedbackState] = mapped_column(Coded(FeedbackState))
    text: Mapped[str] = mapped_column(Text)
    device: Mapped[str] = mapped_column(String(300), default="")
    """What is known of the device that it was seen on, at that moment."""
    pictures: Mapped[list[str]] = mapped_column(JSONB, default=list)
    mended_build: Mapped[int] = mapped_column(default=0)
    """The build that mends it; 0: none said."""
    mended_commit: Mapped[str] = mapped_column(String(64), default="")
    changed_at: Mapped[dt.datetime]
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    build: Mapped[BuildRow] = relationship(lazy="joined", innerjoin=True)
    person: Mapped[PersonRow] = relationship(lazy="joined", innerjoin=True)
    words: Mapped[list[FeedbackWordRow]] = relationship(lazy="selectin", order_by="FeedbackWordRow.id")
    __table_args__ = (
        UniqueConstraint("title_id", "number"),
        Index("ix_feedback_title_id_state", "title_id", "state", "number"),
    )

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"feedback {self.number} of {self.title.slug}"


class FeedbackWordRow(Identified, Base):
    """What somebody answered; `by_studio`, or the tester."""

    __tablename__ = "feedback_word"
    feedback_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("feedback.id"), index=True)
    who: Mapped[str] = mapped_column(String(200))
    by_studio: Mapped[bool]
    text: Mapped[str] = mapped_column(Text)


def find_feedback(session: Session, slug: str, number: int, *, lock: bool = False) -> FeedbackRow:
    title = find_title(session, slug)
    rows = select(FeedbackRow).where(FeedbackRow.title_id == title.id, FeedbackRow.number == number)
    found = first_of(session, rows, lock=lock)
    if found is None:
        hint = f"rampa feedback list --title {slug}"
        raise NotFound("feedback.unknown", f"{slug} has no feedback {number}", where="feedback", hint=hint)
    return found
