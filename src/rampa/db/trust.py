"""A title's trust: its roots, the service's keys for it, and what is signed with them now."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, Text, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from rampa.core.trust.terms import TrustRole
from rampa.db.base import Base, Coded


class TrustRow(Base):
    """One of a title that has had its ceremony. `change` counts what changed of its delivery; `marker` says of what state of
    channels and content the newest was made."""

    __tablename__ = "trust"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), primary_key=True)
    change: Mapped[int] = mapped_column(default=0)
    marker: Mapped[str] = mapped_column(String(64), default="")
    published_at: Mapped[dt.datetime | None]
    trouble: Mapped[str] = mapped_column(Text, default="")
    """Why it could not be signed again, in a sentence; empty where it was."""
    told: Mapped[str] = mapped_column(String(200), default="")
    """What people were told of last: they are told once."""


class TrustRootRow(Base):
    __tablename__ = "trust_root"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    published_by: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[dt.datetime]


class TrustKeyRow(Base):
    """A key that the service signs with by itself; `waiting`: its root is drafted, and not published yet."""

    __tablename__ = "trust_key"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), primary_key=True)
    role: Mapped[TrustRole] = mapped_column(Coded(TrustRole), primary_key=True)
    waiting: Mapped[bool] = mapped_column(primary_key=True, default=False)
    public: Mapped[bytes] = mapped_column(LargeBinary)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    created_at: Mapped[dt.datetime]


class TrustPartRow(Base):
    """What a role signed last: `role` as the metadata names it."""

    __tablename__ = "trust_part"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), primary_key=True)
    role: Mapped[str] = mapped_column(String(60), primary_key=True)
    version: Mapped[int]
    expires_at: Mapped[dt.datetime]
    data: Mapped[bytes] = mapped_column(LargeBinary)


def newest_root(session: Session, title: uuid.UUID) -> TrustRootRow | None:
    rows = select(TrustRootRow).where(TrustRootRow.title_id == title).order_by(TrustRootRow.version.desc()).limit(1)
    return session.scalar(rows)


def trust_keys(session: Session, title: uuid.UUID, *, waiting: bool = False) -> dict[TrustRole, TrustKeyRow]:
    rows = select(TrustKeyRow).where(TrustKeyRow.title_id == title, TrustKeyRow.waiting == waiting)
    return {row.role: row for row in session.scalars(rows)}
