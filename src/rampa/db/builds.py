"""Builds, their depots and bundles, version codes."""

from __future__ import annotations

import datetime as dt
import uuid
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.db.base import Base, Identified
from rampa.db.titles import TitleRow


class BuildRow(Identified, Base):
    __tablename__ = "build"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), index=True)
    number: Mapped[int]
    revision: Mapped[int]
    profile: Mapped[str] = mapped_column(String(60))
    platform: Mapped[str] = mapped_column(String(40))
    purpose: Mapped[str] = mapped_column(String(20))
    state: Mapped[str] = mapped_column(String(20))
    version_name: Mapped[str] = mapped_column(String(64))
    version_code: Mapped[int]
    bundle_name: Mapped[str] = mapped_column(String(250))
    launch: Mapped[str] = mapped_column(String(1100))
    notes: Mapped[str] = mapped_column(Text, default="")
    notes_version: Mapped[int] = mapped_column(default=0)
    created_by: Mapped[str] = mapped_column(String(200))
    completed_at: Mapped[dt.datetime | None]
    files: Mapped[int] = mapped_column(default=0)
    size: Mapped[int] = mapped_column(BigInteger, default=0)
    packed: Mapped[int] = mapped_column(BigInteger, default=0)
    figures: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    undelivered: Mapped[list[str]] = mapped_column(JSONB, default=list)
    left_out: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list, deferred=True)
    left_out_files: Mapped[int] = mapped_column(default=0)
    left_out_size: Mapped[int] = mapped_column(BigInteger, default=0)
    statement: Mapped[bytes | None] = mapped_column(LargeBinary)
    run: Mapped[int] = mapped_column(default=0)
    """The number of the run that made it; 0: made from a folder by hand."""
    commit: Mapped[str] = mapped_column(String(64), default="")
    ref: Mapped[str] = mapped_column(String(250), default="")
    why: Mapped[str] = mapped_column(String(20), default="manual")
    pinned: Mapped[bool] = mapped_column(default=False)
    native: Mapped[str] = mapped_column(String(64), default="")
    made_with: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    """{tools: {name: version}, steps: [[name, seconds], ..] in their order, agent, findings: [..]}"""
    symbols: Mapped[bytes | None] = mapped_column(LargeBinary)
    """The manifest of the symbols that are kept apart; they are never delivered."""
    symbols_size: Mapped[int] = mapped_column(BigInteger, default=0)
    symbols_files: Mapped[int] = mapped_column(default=0)
    provenance: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    """A DSSE envelope: how it was made."""
    grant: Mapped[int] = mapped_column(default=0)
    """The number of the grant that it was signed with; 0: none."""
    title: Mapped[TitleRow] = relationship(lazy="joined")
    depots: Mapped[list[DepotRow]] = relationship(lazy="selectin", order_by="Depot.position")
    bundle: Mapped[BundleRow | None] = relationship(lazy="joined")
    __table_args__ = (
        UniqueConstraint("title_id", "number"),
        Index("ix_build_title_profile", "title_id", "profile", "number"),
    )

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"{self.title.slug}#{self.number}"


class DepotRow(Base):
    """A depot of a build; its manifest rests in the content store under its digest."""

    __tablename__ = "depot"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    position: Mapped[int]
    manifest: Mapped[bytes] = mapped_column(LargeBinary, index=True)
    manifest_size: Mapped[int]
    files: Mapped[int]
    size: Mapped[int] = mapped_column(BigInteger)
    packed: Mapped[int] = mapped_column(BigInteger)
    selector: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    """Whom it is for: see `rampa.core.content.depots.choice`."""


class BundleRow(Base):
    """The bundle is kept as chunks, like everything else. `signature` is a detached CMS."""

    __tablename__ = "bundle"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    name: Mapped[str] = mapped_column(String(250))
    size: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[bytes] = mapped_column(LargeBinary)
    chunks: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    identity: Mapped[str] = mapped_column(String(60), default="")
    fingerprint: Mapped[str] = mapped_column(String(64), default="")
    signature: Mapped[bytes | None] = mapped_column(LargeBinary)
    signed_at: Mapped[dt.datetime | None]
    kind: Mapped[str] = mapped_column(String(20), default="zip")
    read_back: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    """What the bundle says of itself, and what holds of its signatures (rampa.schema.bundles.bundles.BundleVerified)."""
    bare: Mapped[str] = mapped_column(String(64), default="")
    """SHA-256 of the bundle without its signature: what building again must give."""


class ReservationRow(Identified, Base):
    """A version code that was given to a build, or is taken at the storefront, for ever. Rising per identifier and storefront.

    Where a profile names no storefront, `storefront` is empty and the codes rise per platform.
    """

    __tablename__ = "reservation"
    identifier: Mapped[str] = mapped_column(String(200))
    platform: Mapped[str] = mapped_column(String(40))
    storefront: Mapped[str] = mapped_column(String(40), default="")
    code: Mapped[int] = mapped_column(BigInteger)
    build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"))
    version_name: Mapped[str] = mapped_column(String(64), default="")
    origin: Mapped[str] = mapped_column(String(20), default="build")
    """build, manual (entered by a person) or bundle (read from a bundle that is at the storefront)."""
    note: Mapped[str] = mapped_column(String(300), default="")
    created_by: Mapped[str] = mapped_column(String(200), default="")
    build: Mapped[BuildRow | None] = relationship(lazy="joined")
    __table_args__ = (
        UniqueConstraint("identifier", "storefront", "platform", "code", name="uq_reservation_line"),
        Index(
            "uq_reservation_storefront",
            "identifier",
            "storefront",
            "code",
            unique=True,
            postgresql_where=text("storefront <> ''"),
        ),
    )


class SymbolFileRow(Base):
    """Symbols of one native binary, findable by its build id (hexadecimal)."""

    __tablename__ = "symbol_file"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    path: Mapped[str] = mapped_column(String(1100), primary_key=True)
    ident: Mapped[str] = mapped_column(String(130), index=True)
    size: Mapped[int] = mapped_column(BigInteger)
    build: Mapped[BuildRow] = relationship(lazy="joined")
