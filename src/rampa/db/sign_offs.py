"""What testers say of a build: checklists, sign-offs, pictures."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, Text, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.testers.checklist import Checklist, read_checklists
from rampa.core.testers.sign_off import SignedOff, SignOffState, Tick, failed_points
from rampa.db.base import Base, Coded, Identified, Typed
from rampa.db.builds import BuildRow
from rampa.db.people import PersonRow


class ChecklistsRow(Identified, Base):
    """One immutable, numbered state of a title's file of checklists."""

    __tablename__ = "checklists"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    text: Mapped[str] = mapped_column(Text)
    commit: Mapped[str] = mapped_column(String(64), default="")
    created_by: Mapped[str] = mapped_column(String(200))
    __table_args__ = (UniqueConstraint("title_id", "number"),)


class SignOffRow(Identified, Base):
    """A person's word on one checklist of one build."""

    __tablename__ = "sign_off"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"))
    checklist: Mapped[str] = mapped_column(String(60))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), index=True)
    state: Mapped[SignOffState] = mapped_column(Coded(SignOffState))
    ticks: Mapped[list[Tick]] = mapped_column(Typed(list[Tick]), default=list)
    checklists: Mapped[int]
    """The number of the file's state that it was written for."""
    device: Mapped[str] = mapped_column(String(200), default="")
    """What it was played on, as its person says or as the device is known."""
    changed_at: Mapped[dt.datetime]
    finished_at: Mapped[dt.datetime | None]
    build: Mapped[BuildRow] = relationship(lazy="joined", innerjoin=True)
    person: Mapped[PersonRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("build_id", "checklist", "person_id"),)


class TesterPictureRow(Identified, Base):
    """A picture that a tester sent, made smaller, without where it was taken."""

    __tablename__ = "tester_picture"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), index=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), index=True)
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    width: Mapped[int]
    height: Mapped[int]


def newest_checklists(session: Session, title: uuid.UUID) -> ChecklistsRow | None:
    rows = select(ChecklistsRow).where(ChecklistsRow.title_id == title)
    return session.scalar(rows.order_by(ChecklistsRow.number.desc()).limit(1))


def checklists_for(session: Session, build: BuildRow) -> list[Checklist]:
    """Those of the newest state that are for the build's platform and purpose."""
    row = newest_checklists(session, build.title_id)
    if row is None:
        return []
    return [c for c in read_checklists(row.text) if c.is_for(build.platform, build.purpose)]


def finished_sign_offs(session: Session, build: uuid.UUID) -> list[SignedOff]:
    """Of people who are not disabled."""
    rows = (
        select(SignOffRow)
        .join(PersonRow, PersonRow.id == SignOffRow.person_id)
        .where(SignOffRow.build_id == build, SignOffRow.state == SignOffState.FINISHED)
        .where(PersonRow.disabled_at.is_(None))
        .order_by(SignOffRow.finished_at)
    )
    return [SignedOff(r.person.name, r.checklist, failed_points(r.ticks)) for r in session.scalars(rows)]
