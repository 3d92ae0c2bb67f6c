"""Titles, revisions of their documents, signing identities."""

from __future__ import annotations

import datetime as dt
import uuid
from functools import lru_cache

from sqlalchemy import ForeignKey, LargeBinary, String, Text, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from rampa.core.errors import NotFound
from rampa.core.profile.document import Document, read_document
from rampa.db.base import Base, Identified, first_of


class TitleRow(Identified, Base):
    """`manifest_public` is the raw Ed25519 key that devices pin; its private half is sealed."""

    __tablename__ = "title"
    slug: Mapped[str] = mapped_column(String(60), unique=True)
    name: Mapped[str] = mapped_column(String(100))
    identifier: Mapped[str] = mapped_column(String(200), unique=True)
    revision: Mapped[int] = mapped_column(default=0)
    last_build: Mapped[int] = mapped_column(default=0)
    last_run: Mapped[int] = mapped_column(default=0)
    keep_newest: Mapped[int] = mapped_column(default=0)
    """Retention: builds a profile that stay however old; 0: nothing ever goes."""
    keep_days: Mapped[int] = mapped_column(default=0)
    manifest_public: Mapped[bytes] = mapped_column(LargeBinary)
    manifest_sealed: Mapped[bytes] = mapped_column(LargeBinary)
    source: Mapped[str] = mapped_column(String(300), default="")
    """The repository that owns the document; empty: the service owns it."""
    source_path: Mapped[str] = mapped_column(String(300), default="")
    reports: Mapped[str] = mapped_column(String(64))
    """What devices show with their reports; it stands in every offer, and keeps one title's out of another's."""
    sandbox_needed: Mapped[bool] = mapped_column(default=True)
    """Its runs go only to agents that have one."""


class RevisionRow(Identified, Base):
    """One immutable state of a profile document; the text is kept byte for byte."""

    __tablename__ = "revision"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    text: Mapped[str] = mapped_column(Text)
    digest: Mapped[bytes] = mapped_column(LargeBinary)
    message: Mapped[str] = mapped_column(String(500))
    created_by: Mapped[str] = mapped_column(String(200))
    commit: Mapped[str] = mapped_column(String(64), default="")
    """The commit that it came from, when a repository owns the document."""
    __table_args__ = (UniqueConstraint("title_id", "number"),)


class DraftRow(Identified, Base):
    """A person's unfinished change of a profile document; `base` is the revision that it was made from."""

    __tablename__ = "draft"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    base: Mapped[int]
    text: Mapped[str] = mapped_column(Text)
    version: Mapped[int] = mapped_column(default=1)
    saved_at: Mapped[dt.datetime]
    __table_args__ = (UniqueConstraint("title_id", "person_id"),)


def find_title(session: Session, slug: str, *, lock: bool = False) -> TitleRow:
    rows = select(TitleRow).where(TitleRow.slug == slug)
    title = first_of(session, rows, lock=lock)
    if title is None:
        # A few names help against a typing error; a studio's whole list does not.
        known = ", ".join(session.scalars(select(TitleRow.slug).order_by(TitleRow.slug).limit(10)))
        hint = f"There is: {known}." if known else "Import one: `rampa title import FOLDER`."
        raise NotFound("title.unknown", f"there is no title {slug!r}", where="title", hint=hint)
    return title


@lru_cache(maxsize=32)
def parsed_document(text: str) -> Document:
    """Documents are values: the same text is read once."""
    return read_document(text.encode())


def find_revision(session: Session, title: TitleRow, number: int | None = None) -> RevisionRow:
    """The revision with that number, or the newest."""
    wanted = title.revision if number is None else number
    row = session.scalar(select(RevisionRow).where(RevisionRow.title_id == title.id, RevisionRow.number == wanted))
    if row is None:
        raise NotFound(
            "revision.unknown", f"{title.slug} has no revision {wanted}", hint=f"The newest is {title.revision}."
        )
    return row


def load_document(session: Session, title: TitleRow, number: int | None = None) -> Document:
    return parsed_document(find_revision(session, title, number).text)


def newest_documents(session: Session) -> list[tuple[TitleRow, Document]]:
    """Every title with its newest document, by name. In one query: a studio of fifty titles would be asked fifty times."""
    newest = (RevisionRow.title_id == TitleRow.id) & (RevisionRow.number == TitleRow.revision)
    rows = select(TitleRow, RevisionRow.text).join(RevisionRow, newest).order_by(TitleRow.name)
    return [(title, parsed_document(text)) for title, text in session.execute(rows)]
