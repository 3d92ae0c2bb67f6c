"""Where titles' files come from: sources, uploaded folders, defaults of branches, triggers; step variables."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, LargeBinary, String, UniqueConstraint, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.db.base import Base, Identified, Typed
from rampa.db.titles import TitleRow, find_title
from rampa.schema.sources import BranchDefault


class SourceRow(Identified, Base):
    """A title's git repository. Its bare mirror lies in the store's folder under the row's id."""

    __tablename__ = "source"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), unique=True)
    address: Mapped[str] = mapped_column(String(1000))
    user: Mapped[str] = mapped_column(String(200), default="")
    credential: Mapped[str] = mapped_column(String(20), default="")
    """What is sealed: nothing, a `password`, or an SSH `key`."""
    sealed: Mapped[bytes | None] = mapped_column(LargeBinary)
    submodules: Mapped[bool] = mapped_column(default=False)
    every: Mapped[int] = mapped_column(default=0)
    """Seconds between looks at the repository; 0: only when asked."""
    fetched_at: Mapped[dt.datetime | None]
    tried_at: Mapped[dt.datetime | None]
    error: Mapped[str] = mapped_column(String(1000), default="")
    heads: Mapped[dict[str, str]] = mapped_column(JSONB, default=dict)
    """`branch/NAME` or `tag/NAME` -> commit, as triggers last saw them."""
    defaults: Mapped[list[BranchDefault]] = mapped_column(Typed(list[BranchDefault]), default=list)
    """The first that matches a branch counts."""
    title: Mapped[TitleRow] = relationship(lazy="joined")


class FolderRow(Identified, Base):
    """An uploaded folder: its manifest rests in the content store. `number` is what people say."""

    __tablename__ = "folder"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    manifest: Mapped[bytes] = mapped_column(LargeBinary)
    files: Mapped[int]
    size: Mapped[int] = mapped_column(BigInteger)
    note: Mapped[str] = mapped_column(String(500), default="")
    created_by: Mapped[str] = mapped_column(String(200))
    __table_args__ = (UniqueConstraint("title_id", "number"),)


class TriggerRow(Identified, Base):
    """Starts runs by itself. `kind` is branch, tag, schedule or call."""

    __tablename__ = "trigger"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    kind: Mapped[str] = mapped_column(String(20))
    pattern: Mapped[str] = mapped_column(String(200), default="")
    schedule: Mapped[str] = mapped_column(String(100), default="")
    paths: Mapped[list[str]] = mapped_column(JSONB, default=list)
    profiles: Mapped[list[str]] = mapped_column(JSONB, default=list)
    place: Mapped[str] = mapped_column(String(60), default="")
    """The channel that its finished builds go to by themselves; empty: what branch or profile say."""
    active: Mapped[bool] = mapped_column(default=True)
    sealed: Mapped[bytes | None] = mapped_column(LargeBinary)
    next_at: Mapped[dt.datetime | None]
    last_at: Mapped[dt.datetime | None]
    last_said: Mapped[str] = mapped_column(String(500), default="")
    created_by: Mapped[str] = mapped_column(String(200))
    title: Mapped[TitleRow] = relationship(lazy="joined")
    __table_args__ = (UniqueConstraint("title_id", "name"),)


class CallSeenRow(Base):
    """A signed call that was taken, so that the same one is not taken again."""

    __tablename__ = "call_seen"
    signature: Mapped[str] = mapped_column(String(100), primary_key=True)
    at: Mapped[dt.datetime]


def find_source(session: Session, slug: str) -> SourceRow:
    title = find_title(session, slug)
    row = session.scalar(select(SourceRow).where(SourceRow.title_id == title.id))
    if row is None:
        hint = f"Connect one: `rampa source connect ADDRESS --title {slug}`, or upload a folder: `rampa source upload FOLDER`."
        raise NotFound("source.none", f"{slug} has no repository", where="source", hint=hint)
    return row


def has_source(session: Session, title: TitleRow) -> SourceRow | None:
    return session.scalar(select(SourceRow).where(SourceRow.title_id == title.id))


def find_folder(session: Session, slug: str, number: int) -> FolderRow:
    title = find_title(session, slug)
    row = session.scalar(select(FolderRow).where(FolderRow.title_id == title.id, FolderRow.number == number))
    if row is None:
        raise NotFound("folder.unknown", f"{slug} has no uploaded folder {number}", where="folder")
    return row
