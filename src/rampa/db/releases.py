"""Releases: builds of one version over platforms, what was left out, notes in several languages."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, String, Text, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.db.base import Base, Identified, first_of
from rampa.db.builds import BuildRow
from rampa.db.titles import TitleRow, find_title


class ReleaseRow(Identified, Base):
    __tablename__ = "release"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    version_name: Mapped[str] = mapped_column(String(64))
    purpose: Mapped[str] = mapped_column(String(20))
    created_by: Mapped[str] = mapped_column(String(200))
    notes_version: Mapped[int] = mapped_column(default=0)
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    builds: Mapped[list[ReleaseBuildRow]] = relationship(lazy="selectin", order_by="ReleaseBuildRow.added_at")
    left_out: Mapped[list[ReleaseLeftOutRow]] = relationship(lazy="selectin", cascade="all, delete-orphan")
    notes: Mapped[list[ReleaseNoteRow]] = relationship(lazy="selectin", cascade="all, delete-orphan")
    __table_args__ = (UniqueConstraint("title_id", "number"),)

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"release {self.number} of {self.title.slug}, {self.version_name}"


class ReleaseBuildRow(Base):
    __tablename__ = "release_build"
    release_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("release.id"), primary_key=True)
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True, index=True)
    storefront: Mapped[str] = mapped_column(String(40))
    added_at: Mapped[dt.datetime]
    build: Mapped[BuildRow] = relationship(lazy="joined", innerjoin=True)


class ReleaseLeftOutRow(Base):
    """A line that goes without, and why."""

    __tablename__ = "release_left_out"
    release_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("release.id"), primary_key=True)
    platform: Mapped[str] = mapped_column(String(40), primary_key=True)
    storefront: Mapped[str] = mapped_column(String(40), primary_key=True)
    reason: Mapped[str] = mapped_column(Text)
    by: Mapped[str] = mapped_column(String(200))
    at: Mapped[dt.datetime]


class ReleaseNoteRow(Base):
    """What a person wrote, for players or for testers, in one language."""

    __tablename__ = "release_note"
    release_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("release.id"), primary_key=True)
    audience: Mapped[str] = mapped_column(String(20), primary_key=True)
    language: Mapped[str] = mapped_column(String(35), primary_key=True)
    text: Mapped[str] = mapped_column(Text)
    by: Mapped[str] = mapped_column(String(200))
    at: Mapped[dt.datetime]


def find_release(session: Session, slug: str, number: int, *, lock: bool = False) -> ReleaseRow:
    title = find_title(session, slug)
    rows = select(ReleaseRow).where(ReleaseRow.title_id == title.id, ReleaseRow.number == number)
    release = first_of(session, rows, lock=lock)
    if release is None:
        hint = f"rampa release list --title {slug}"
        raise NotFound("release.unknown", f"{slug} has no release {number}", where="release", hint=hint)
    return release
