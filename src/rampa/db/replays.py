"""Replays: what was asked, how far they are, what they found."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, LargeBinary, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.core.content.replay.life import ReplayState
from rampa.db.base import Base, Coded, Identified, Typed
from rampa.db.titles import TitleRow
from rampa.schema.replays import ReplayedRelease, ReplayIn


class ReplayRow(Identified, Base):
    """Of some of a title's builds, whose numbers were settled when it was asked for."""

    __tablename__ = "replay"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    state: Mapped[ReplayState] = mapped_column(Coded(ReplayState))
    asked: Mapped[ReplayIn] = mapped_column(Typed(ReplayIn))
    builds: Mapped[list[int]] = mapped_column(Typed(list[int]))
    releases: Mapped[list[ReplayedRelease]] = mapped_column(Typed(list[ReplayedRelease]), default=list)
    measured: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)
    """Sizes of frames, so that what goes on does not begin again."""
    total: Mapped[int] = mapped_column(BigInteger, default=0)
    done: Mapped[int] = mapped_column(BigInteger, default=0)
    note: Mapped[str] = mapped_column(String(400), default="")
    asked_by: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[dt.datetime]
    started_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("title_id", "number"),)

    @property
    def name(self) -> str:
        return f"replay {self.number}"

    @property
    def title_slug(self) -> str:
        return self.title.slug
