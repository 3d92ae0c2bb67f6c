"""Packs for players: which build has them, how they were chosen, and which packs they are."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, LargeBinary, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.core.content.layout.life import LayoutState
from rampa.db.base import Base, Coded, Typed
from rampa.db.builds import BuildRow
from rampa.schema.layout import LayoutChoice


class LayoutRow(Base):
    """One a build."""

    __tablename__ = "layout"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    state: Mapped[LayoutState] = mapped_column(Coded(LayoutState))
    choice: Mapped[LayoutChoice | None] = mapped_column(Typed(LayoutChoice))
    content: Mapped[int] = mapped_column(BigInteger, default=0)
    done: Mapped[int] = mapped_column(BigInteger, default=0)
    size: Mapped[int] = mapped_column(BigInteger, default=0)
    expected: Mapped[int] = mapped_column(BigInteger, default=0)
    note: Mapped[str] = mapped_column(String(400), default="")
    """What went wrong last, or why there are none."""
    asked_by: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[dt.datetime]
    started_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]
    build: Mapped[BuildRow] = relationship()

    @property
    def name(self) -> str:
        return f"packs for players of {self.build.name}"

    @property
    def title_slug(self) -> str:
        return self.build.title.slug


class LayoutPackRow(Base):
    """A pack that was made for players of a build; two builds of the same content have the same ones."""

    __tablename__ = "layout_pack"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("layout.build_id", ondelete="CASCADE"), primary_key=True)
    pack_digest: Mapped[bytes] = mapped_column(
        LargeBinary, ForeignKey("pack.digest", ondelete="CASCADE"), primary_key=True, index=True
    )
