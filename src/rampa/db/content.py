"""The index of the content store: packs, frames, chunks. A row never points at bytes that are not there."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.content.patch.life import DifferenceState
from rampa.core.content.visibility import Visibility
from rampa.core.store.check_life import CheckState
from rampa.db.base import Base, Coded, Ranked, Typed
from rampa.db.builds import BuildRow
from rampa.schema.store import StoreProblem


class PackRow(Base):
    __tablename__ = "pack"
    digest: Mapped[bytes] = mapped_column(LargeBinary, primary_key=True)
    size: Mapped[int] = mapped_column(BigInteger)
    created_at: Mapped[dt.datetime]
    visibility: Mapped[Visibility] = mapped_column(Ranked(Visibility), default=Visibility.SOURCE)
    for_players: Mapped[bool] = mapped_column(default=False)
    """Laid out for those who download all of it (db/layout.py); what is in it lies in other packs, too."""
    past: Mapped[bool] = mapped_column(default=False)
    """Of what only past builds have, in large frames."""
    condemned_at: Mapped[dt.datetime | None]
    """When it was found that nothing needs it; it is removed some time after, unless somebody counted on it meanwhile."""


class FrameRow(Base):
    __tablename__ = "frame"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    pack_digest: Mapped[bytes] = mapped_column(ForeignKey("pack.digest"))
    offset: Mapped[int] = mapped_column(BigInteger)
    stored: Mapped[int]
    raw: Mapped[int]
    key: Mapped[bytes | None] = mapped_column(LargeBinary)
    """The id of the content key that it is encrypted with, if it is."""
    __table_args__ = (Index("ix_frame_pack_digest", "pack_digest"),)


class ChunkRow(Base):
    """Where a chunk can be had. Copies of it lie in packs for other readers, or encrypted."""

    __tablename__ = "chunk"
    digest: Mapped[bytes] = mapped_column(LargeBinary, primary_key=True)
    size: Mapped[int]
    frame_id: Mapped[int] = mapped_column(ForeignKey("frame.id"), primary_key=True)
    at: Mapped[int]


class ContentKeyRow(Base):
    """The key of one depot of one build; sealed by the master key."""

    __tablename__ = "content_key"
    id: Mapped[bytes] = mapped_column(LargeBinary, primary_key=True)
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), index=True)
    depot: Mapped[str] = mapped_column(String(60))
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    created_at: Mapped[dt.datetime]


class UnsealingKeyRow(Base):
    """What opens a build's wrapped content keys; given out when the build is unsealed."""

    __tablename__ = "unsealing_key"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    created_at: Mapped[dt.datetime]
    unsealed_at: Mapped[dt.datetime | None]
    unsealed_by: Mapped[str] = mapped_column(String(200), default="")


class StoreStateRow(Base):
    """One row. `epoch` rises whenever content moves from pack to pack."""

    __tablename__ = "store_state"
    id: Mapped[int] = mapped_column(primary_key=True)
    epoch: Mapped[int] = mapped_column(default=0)
    held_until: Mapped[dt.datetime | None]
    """While a backup is made nothing is removed."""


class StoreCheckRow(Base):
    """A check of the whole store; it goes on behind `cursor` after any interruption."""

    __tablename__ = "store_check"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    state: Mapped[CheckState] = mapped_column(Coded(CheckState))
    fix: Mapped[bool] = mapped_column(default=False)
    cursor: Mapped[bytes] = mapped_column(LargeBinary, default=b"")
    packs: Mapped[int] = mapped_column(default=0)
    packs_done: Mapped[int] = mapped_column(default=0)
    size: Mapped[int] = mapped_column(BigInteger, default=0)
    size_done: Mapped[int] = mapped_column(BigInteger, default=0)
    problems: Mapped[list[StoreProblem]] = mapped_column(Typed(list[StoreProblem]), default=list)
    asked_by: Mapped[str] = mapped_column(String(200), default="")
    started_at: Mapped[dt.datetime]
    ended_at: Mapped[dt.datetime | None]
    name = "store"
    title_slug = ""


class DifferenceSetRow(Base):
    """The differences of one update. They rest in a file of the content store that is addressed like a pack."""

    __tablename__ = "difference_set"
    new_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    old_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    state: Mapped[DifferenceState] = mapped_column(Coded(DifferenceState))
    pack: Mapped[bytes | None] = mapped_column(LargeBinary)
    rows: Mapped[bytes] = mapped_column(LargeBinary, default=b"")
    """As locations without chunks: docs/formats.md."""
    size: Mapped[int] = mapped_column(BigInteger, default=0)
    count: Mapped[int] = mapped_column(default=0)
    seconds: Mapped[float] = mapped_column(default=0.0)
    within: Mapped[bool] = mapped_column(default=True)
    """False: the budget ended before everything was tried."""
    created_at: Mapped[dt.datetime]
    new: Mapped[BuildRow] = relationship(foreign_keys=[new_id])
    old: Mapped[BuildRow] = relationship(foreign_keys=[old_id])

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"{self.new.name} from {self.old.name}"

    @property
    def title_slug(self) -> str:
        return self.new.title.slug


class VerifiedFileRow(Base):
    """A file digest that the service itself computed over these chunks (BLAKE3 of their digests, in order)."""

    __tablename__ = "verified_file"
    digest: Mapped[bytes] = mapped_column(LargeBinary, primary_key=True)
    chunks: Mapped[bytes] = mapped_column(LargeBinary, primary_key=True)


def store_state(session: Session, *, lock: bool = False) -> StoreStateRow:
    """The store's one row."""
    row = session.get(StoreStateRow, 1, with_for_update=lock)
    # Made by whoever comes first: a database that was just laid out has none.
    if row is None:
        row = StoreStateRow(id=1, epoch=0)
        session.add(row)
        session.flush()
    return row
