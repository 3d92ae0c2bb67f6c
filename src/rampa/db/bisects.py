"""Searches for a commit: what was asked, the line of commits, and what each try came to."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, String, Text, UniqueConstraint, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.run.bisect import BisectState, By, TrialState, bounds
from rampa.db.base import Base, Coded, Identified, first_of
from rampa.db.builds import BuildRow
from rampa.db.runs import RunRow
from rampa.db.titles import TitleRow, find_title


class BisectRow(Identified, Base):
    """`good` and `bad` are what they were called: a build, a branch, a tag, a commit."""

    __tablename__ = "bisect"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    profile: Mapped[str] = mapped_column(String(60))
    by: Mapped[By] = mapped_column(Coded(By))
    subject: Mapped[str] = mapped_column(String(300), default="")
    """A path, a step, or the number of a crash group."""
    crash: Mapped[str] = mapped_column(String(64), default="")
    """That group's key."""
    form: Mapped[str] = mapped_column(String(40), default="")
    limit: Mapped[float | None]
    """Bad above it, in bytes or seconds; None until both ends were measured."""
    good: Mapped[str] = mapped_column(String(250))
    bad: Mapped[str] = mapped_column(String(250))
    good_build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"))
    commits: Mapped[list[str]] = mapped_column(JSONB)
    """The good end first."""
    state: Mapped[BisectState] = mapped_column(Coded(BisectState))
    said: Mapped[str] = mapped_column(Text, default="")
    started_by: Mapped[str] = mapped_column(String(200))
    ended_at: Mapped[dt.datetime | None]
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    good_build: Mapped[BuildRow | None] = relationship(lazy="joined")
    trials: Mapped[list[BisectTrialRow]] = relationship(
        lazy="selectin", order_by="BisectTrialRow.position", cascade="all, delete-orphan"
    )
    __table_args__ = (UniqueConstraint("title_id", "number"),)

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"bisect {self.number} of {self.title.slug}"

    @property
    def title_slug(self) -> str:
        return self.title.slug

    @property
    def last(self) -> int:
        return len(self.commits) - 1

    @property
    def range(self) -> tuple[int, int]:
        """(newest good, oldest bad) by place: what lies after the first, up to the second, can be the one."""
        return bounds(self.last, self.seen)

    @property
    def found(self) -> str:
        """The one commit; empty where it has not ended with one."""
        return self.commits[self.range[1]] if self.state == BisectState.FOUND else ""

    @property
    def seen(self) -> dict[int, TrialState]:
        return {t.position: t.state for t in self.trials}


class BisectTrialRow(Base):
    """One commit's try, by a run of its own, or by what is known of a run or build of before."""

    __tablename__ = "bisect_trial"
    bisect_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("bisect.id"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    state: Mapped[TrialState] = mapped_column(Coded(TrialState))
    run_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("run.id"), index=True)
    again: Mapped[bool] = mapped_column(default=False)
    """Nothing was built for it."""
    value: Mapped[float | None]
    """Bytes or seconds."""
    said: Mapped[str] = mapped_column(Text, default="")
    run: Mapped[RunRow | None] = relationship(lazy="joined")


def find_bisect(session: Session, slug: str, number: int, *, lock: bool = False) -> BisectRow:
    title = find_title(session, slug)
    rows = select(BisectRow).where(BisectRow.title_id == title.id, BisectRow.number == number)
    row = first_of(session, rows, lock=lock)
    if row is None:
        hint = f"See `rampa run bisects --title {slug}`."
        raise NotFound("bisect.unknown", f"{slug} has no bisect {number}", where="bisect", hint=hint)
    return row
