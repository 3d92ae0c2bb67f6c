"""The studio's own reviews: a build put before its reviewers for a channel, what they said of it."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, Index, String, Text, UniqueConstraint, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.submission.desk import Queued
from rampa.core.submission.life import SubmissionState
from rampa.db.base import Base, Coded, Identified, first_of, new_id
from rampa.db.builds import BuildRow
from rampa.db.channels import ChannelRow
from rampa.db.titles import TitleRow, find_title

OPEN = (SubmissionState.WAITING, SubmissionState.REVIEWING, SubmissionState.QUESTION)


class ReviewRow(Identified, Base):
    """`since` it waits in line this time, `promised` when a verdict was promised; `verdict_at` of the first one."""

    __tablename__ = "review"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), index=True)
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"))
    state: Mapped[SubmissionState] = mapped_column(Coded(SubmissionState))
    notes: Mapped[str] = mapped_column(Text, default="")
    made_by: Mapped[str] = mapped_column(String(200))
    maker_id: Mapped[uuid.UUID]
    since: Mapped[dt.datetime]
    promised: Mapped[dt.datetime]
    moved_at: Mapped[dt.datetime]
    verdict_at: Mapped[dt.datetime | None]
    claimed_by: Mapped[str] = mapped_column(String(200), default="")
    claimant_id: Mapped[uuid.UUID | None]
    claim_until: Mapped[dt.datetime | None]
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    build: Mapped[BuildRow] = relationship(lazy="joined", innerjoin=True)
    channel: Mapped[ChannelRow] = relationship(lazy="joined", innerjoin=True)
    words: Mapped[list[ReviewWordRow]] = relationship(lazy="select", order_by="ReviewWordRow.at")
    __table_args__ = (
        UniqueConstraint("title_id", "number"),
        Index("ix_review_queue", "state", "promised", "since"),
    )

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"review {self.number} of {self.title.slug}"

    @property
    def queued(self) -> Queued:
        return Queued(self.since, self.promised, self.claimed_by, self.claim_until)


class ReviewWordRow(Base):
    """What somebody wrote. `kind`: note, which only reviewers read; ask, refuse, pass, answer, appeal, lapse, claim, withdraw."""

    __tablename__ = "review_word"
    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=new_id)
    review_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("review.id"), index=True)
    at: Mapped[dt.datetime]
    by: Mapped[str] = mapped_column(String(200))
    kind: Mapped[str] = mapped_column(String(20))
    text: Mapped[str] = mapped_column(Text, default="")
    about: Mapped[str] = mapped_column(String(200), default="")
    reason: Mapped[str] = mapped_column(String(40), default="")


def find_review(session: Session, slug: str, number: int, *, lock: bool = False) -> ReviewRow:
    title = find_title(session, slug)
    rows = select(ReviewRow).where(ReviewRow.title_id == title.id, ReviewRow.number == number)
    row = first_of(session, rows, lock=lock)
    if row is None:
        raise NotFound("review.unknown", f"{slug} has no review {number}", where="review", hint="rampa review list")
    return row


def next_review(session: Session, title: TitleRow) -> int:
    """The title is locked by the caller."""
    return (session.scalar(select(func.max(ReviewRow.number)).where(ReviewRow.title_id == title.id)) or 0) + 1


def newest_review(session: Session, build: uuid.UUID, channel: uuid.UUID) -> ReviewRow | None:
    rows = select(ReviewRow).where(ReviewRow.build_id == build, ReviewRow.channel_id == channel)
    return session.scalar(rows.order_by(ReviewRow.number.desc()).limit(1))
