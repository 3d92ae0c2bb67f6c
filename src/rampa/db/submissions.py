"""Submissions: builds put before storefronts, and the checks that the studio made of what storefronts found."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, String, Text, UniqueConstraint, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.check.studio_rule import StudioRule
from rampa.core.errors import NotFound
from rampa.core.submission.course import Course, is_over, state_words
from rampa.core.submission.life import ON_SHOW, SubmissionState
from rampa.db.base import Base, Coded, Identified, Typed, first_of
from rampa.db.builds import BuildRow
from rampa.db.titles import TitleRow, find_title
from rampa.schema.storefronts import Going, SubmissionAt, SubmissionIn


class SubmissionRow(Identified, Base):
    """`asked`: what it is put with; its pictures are made while it is sent. `seen`: as the storefront has it.

    `next_at`: when it is sent or looked at again; null where nothing comes by itself. `sent` bytes of the bundle are there,
    `begun_sent` of them were when this try began.
    """

    __tablename__ = "submission"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), index=True)
    release_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("release.id"))
    storefront: Mapped[str] = mapped_column(String(50))
    platform: Mapped[str] = mapped_column(String(40))
    course: Mapped[Course] = mapped_column(Coded(Course))
    state: Mapped[SubmissionState | None] = mapped_column(Coded(SubmissionState))
    said: Mapped[str] = mapped_column(Text, default="")
    code: Mapped[str] = mapped_column(String(60), default="")
    """Of what halted it."""
    asked: Mapped[SubmissionIn] = mapped_column(Typed(SubmissionIn))
    listing: Mapped[int]
    changed: Mapped[list[str]] = mapped_column(Typed(list[str]), default=list)
    going: Mapped[Going] = mapped_column(Coded(Going))
    going_at: Mapped[dt.datetime | None]
    together: Mapped[uuid.UUID | None]
    """Shared by those that go live when all of them passed."""
    replaces_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("submission.id"))
    hand_in: Mapped[str] = mapped_column(String(500), default="")
    upload: Mapped[str] = mapped_column(String(40), default="")
    size: Mapped[int] = mapped_column(BigInteger)
    sent: Mapped[int] = mapped_column(BigInteger, default=0)
    begun_sent: Mapped[int] = mapped_column(BigInteger, default=0)
    begun_at: Mapped[dt.datetime | None]
    progress_at: Mapped[dt.datetime | None]
    again: Mapped[int] = mapped_column(default=0)
    """How often it was sent again, for the storefront had lost it."""
    there_id: Mapped[str] = mapped_column(String(40), default="", index=True)
    seen: Mapped[SubmissionAt | None] = mapped_column(Typed(SubmissionAt | None))
    set_back: Mapped[str] = mapped_column(Text, default="")
    tries: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[dt.datetime | None] = mapped_column(index=True)
    looked_at: Mapped[dt.datetime | None]
    moved_at: Mapped[dt.datetime]
    arrived_at: Mapped[dt.datetime | None]
    made_by: Mapped[str] = mapped_column(String(200))
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    build: Mapped[BuildRow] = relationship(lazy="joined", innerjoin=True)
    replaces: Mapped[SubmissionRow | None] = relationship(remote_side="SubmissionRow.id", lazy="select")
    __table_args__ = (UniqueConstraint("title_id", "number"), Index("ix_submission_place", "storefront", "title_id"))

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"submission {self.number} of {self.title.slug}"

    @property
    def key(self) -> str:
        """The same is taken once by the storefront."""
        return f"{self.id}-{self.again}"

    @property
    def over(self) -> bool:
        return is_over(self.course, self.state)

    @property
    def words(self) -> str:
        return state_words(self.course, self.state)


class StudioRuleRow(Identified, Base):
    """A check of the studio's own."""

    __tablename__ = "studio_rule"
    name: Mapped[str] = mapped_column(String(60), unique=True)
    rule: Mapped[StudioRule] = mapped_column(Typed(StudioRule))
    made_of: Mapped[str] = mapped_column(String(300), default="")
    made_by: Mapped[str] = mapped_column(String(200))


def find_submission(session: Session, slug: str, number: int, *, lock: bool = False) -> SubmissionRow:
    title = find_title(session, slug)
    rows = select(SubmissionRow).where(SubmissionRow.title_id == title.id, SubmissionRow.number == number)
    row = first_of(session, rows, lock=lock)
    if row is None:
        hint = f"rampa submission list --title {slug}"
        raise NotFound("submission.unknown", f"{slug} has no submission {number}", where="submission", hint=hint)
    return row


def mended_by(session: Session, row: SubmissionRow) -> int | None:
    """The number of the newest submission that mends it and was not given up."""
    rows = select(SubmissionRow.number).where(SubmissionRow.replaces_id == row.id)
    found = rows.where(SubmissionRow.course != Course.DROPPED).order_by(SubmissionRow.number.desc())
    return session.scalar(found.limit(1))


def next_submission(session: Session, title: TitleRow) -> int:
    """The title is locked by the caller."""
    rows = select(func.max(SubmissionRow.number)).where(SubmissionRow.title_id == title.id)
    return (session.scalar(rows) or 0) + 1


def open_at(session: Session, build: BuildRow, storefront: str) -> SubmissionRow | None:
    """The newest one of this build there of which something more comes."""
    rows = select(SubmissionRow).where(SubmissionRow.build_id == build.id, SubmissionRow.storefront == storefront)
    found = session.scalars(rows.order_by(SubmissionRow.number.desc()))
    return next((row for row in found if not row.over), None)


def live_listings(session: Session, title: uuid.UUID) -> dict[str, int]:
    """Storefront -> the listing's state that came with what is on show there, the newest of all platforms."""
    rows = select(SubmissionRow).where(SubmissionRow.title_id == title, SubmissionRow.state.in_(ON_SHOW))
    return {row.storefront: row.listing for row in session.scalars(rows.order_by(SubmissionRow.number))}


def studio_rules(session: Session) -> list[StudioRuleRow]:
    return list(session.scalars(select(StudioRuleRow).order_by(StudioRuleRow.name)))
