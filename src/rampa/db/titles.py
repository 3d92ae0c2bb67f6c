"""Titles, revisions of their documents, signing identities."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from rampa.db.base import Base, Identified


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


class SigningIdentityRow(Identified, Base):
    """A private key with its certificate. The key rests sealed; it leaves only as an export under a password."""

    __tablename__ = "signing_identity"
    name: Mapped[str] = mapped_column(String(60), unique=True)
    kind: Mapped[str] = mapped_column(String(20))
    subject: Mapped[str] = mapped_column(String(300))
    fingerprint: Mapped[str] = mapped_column(String(64))
    certificate: Mapped[str] = mapped_column(Text)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    not_after: Mapped[dt.datetime]
    created_by: Mapped[str] = mapped_column(String(200))
    used: Mapped[int] = mapped_column(default=0)
    origin: Mapped[str] = mapped_column(String(10), default="imported")
    """made or imported."""
    protected: Mapped[bool] = mapped_column(default=False)
    """Sealed by a passphrase as well: it must be unlocked before it signs."""
    not_before: Mapped[dt.datetime | None]
    last_used_at: Mapped[dt.datetime | None]
    exported_at: Mapped[dt.datetime | None]
    backed_at: Mapped[dt.datetime | None]
    """When a restore drill with an export passed; null: not backed up."""
    backed_by: Mapped[str] = mapped_column(String(200), default="")
    succession: Mapped[bytes | None] = mapped_column(LargeBinary)
    """The proof that older identities handed over to this one (rampa.core.signing.succession)."""
    predecessor: Mapped[str] = mapped_column(String(60), default="")


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
