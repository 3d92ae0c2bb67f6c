"""Crashes that devices reported: each one, the distinct stacks among them, and the groups of the same place."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.health.crash import CrashReport, NamedFrame
from rampa.db.base import Base, Identified, Typed
from rampa.db.builds import BuildRow
from rampa.db.titles import TitleRow, find_title


class CrashGroupRow(Identified, Base):
    """Crashes of the same place; what makes them the same stands in rampa.core.health.crash."""

    __tablename__ = "crash_group"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    key: Mapped[str] = mapped_column(String(64))
    place: Mapped[str] = mapped_column(String(600))
    """As in the first build that had it."""
    reason: Mapped[str] = mapped_column(String(40))
    first_build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"))
    """The lowest build that it was reported of."""
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    first_build: Mapped[BuildRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("title_id", "number"), UniqueConstraint("title_id", "key"))

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"crash {self.number} of {self.title.slug}"


class CrashStackRow(Identified, Base):
    """One stack of one build's binaries; symbols are looked up for it once."""

    __tablename__ = "crash_stack"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"))
    digest: Mapped[bytes] = mapped_column(LargeBinary)
    report: Mapped[CrashReport] = mapped_column(Typed(CrashReport))
    frames: Mapped[list[NamedFrame] | None] = mapped_column(Typed(list[NamedFrame]))
    """None until symbols were looked for."""
    group_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("crash_group.id"), index=True)
    group: Mapped[CrashGroupRow | None] = relationship(lazy="joined")
    __table_args__ = (UniqueConstraint("build_id", "digest"),)


class CrashRow(Base):
    """One crash. `at` by the service's clock."""

    __tablename__ = "crash"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    stack_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("crash_stack.id"))
    device: Mapped[str] = mapped_column(String(64))
    at: Mapped[dt.datetime] = mapped_column(index=True)
    form: Mapped[str] = mapped_column(String(40), default="")
    level: Mapped[str] = mapped_column(String(40), default="")
    simulated: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (Index("ix_crash_stack_id_at", "stack_id", "at"),)


def find_crash_group(session: Session, slug: str, number: int) -> CrashGroupRow:
    title = find_title(session, slug)
    rows = select(CrashGroupRow).where(CrashGroupRow.title_id == title.id, CrashGroupRow.number == number)
    group = session.scalar(rows)
    if group is None:
        hint = f"See `rampa health crashes --title {slug}`."
        raise NotFound("crash.unknown", f"{slug} has no crash group {number}", where="crash", hint=hint)
    return group
