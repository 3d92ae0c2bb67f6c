"""Builds, their depots and bundles, version codes."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.build.life import BuildState
from rampa.core.build.record import MadeWith
from rampa.core.content.depots.choice import Selector
from rampa.core.content.select.left_out import LeftOut
from rampa.core.errors import Conflict, NotFound
from rampa.db.base import Base, Coded, Identified, Typed, first_of
from rampa.db.titles import TitleRow, find_title
from rampa.schema.builds.builds import Figures
from rampa.schema.bundles.bundles import BundleVerified


class BuildRow(Identified, Base):
    """What a build is. How it was made, what it holds and its symbols stand in records of their own."""

    __tablename__ = "build"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), index=True)
    number: Mapped[int]
    revision: Mapped[int]
    profile: Mapped[str] = mapped_column(String(60))
    platform: Mapped[str] = mapped_column(String(40))
    purpose: Mapped[str] = mapped_column(String(20))
    state: Mapped[BuildState] = mapped_column(Coded(BuildState))
    version_name: Mapped[str] = mapped_column(String(64))
    version_code: Mapped[int]
    bundle_name: Mapped[str] = mapped_column(String(250))
    notes: Mapped[str] = mapped_column(Text, default="")
    notes_version: Mapped[int] = mapped_column(default=0)
    pinned: Mapped[bool] = mapped_column(default=False)
    created_by: Mapped[str] = mapped_column(String(200))
    completed_at: Mapped[dt.datetime | None]
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    made: Mapped[BuildOriginRow] = relationship(lazy="joined", innerjoin=True, cascade="all, delete-orphan")
    content: Mapped[BuildContentRow] = relationship(lazy="joined", innerjoin=True, cascade="all, delete-orphan")
    symbols: Mapped[BuildSymbolsRow | None] = relationship(lazy="joined", cascade="all, delete-orphan")
    depots: Mapped[list[DepotRow]] = relationship(lazy="selectin", order_by="DepotRow.position")
    bundle: Mapped[BundleRow | None] = relationship(lazy="joined")
    inner_signature: Mapped[InnerSignatureRow | None] = relationship()
    __table_args__ = (
        UniqueConstraint("title_id", "number"),
        Index("ix_build_title_profile", "title_id", "profile", "number"),
    )

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"{self.title.slug}#{self.number}"

    @property
    def title_slug(self) -> str:
        return self.title.slug


class BuildOriginRow(Base):
    """How a build was made, by what, from what."""

    __tablename__ = "build_origin"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    run: Mapped[int] = mapped_column(default=0)
    """The number of the run that made it; 0: made from a folder by hand."""
    commit: Mapped[str] = mapped_column(String(64), default="")
    ref: Mapped[str] = mapped_column(String(250), default="")
    why: Mapped[str] = mapped_column(String(20), default="manual")
    native: Mapped[str] = mapped_column(String(64), default="")
    content_of: Mapped[int] = mapped_column(default=0)
    """The build that this one is again, under a new version code; 0: none."""
    record: Mapped[MadeWith] = mapped_column(Typed(MadeWith), default=MadeWith)
    provenance: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    """A DSSE envelope: how it was made."""


class BuildContentRow(Base):
    """What a build holds, in figures; sizes are bytes. Its files stand in the manifests of its depots."""

    __tablename__ = "build_content"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    launch: Mapped[str] = mapped_column(String(1100))
    files: Mapped[int] = mapped_column(default=0)
    size: Mapped[int] = mapped_column(BigInteger, default=0)
    packed: Mapped[int] = mapped_column(BigInteger, default=0)
    figures: Mapped[Figures] = mapped_column(Typed(Figures), default=Figures)
    undelivered: Mapped[list[str]] = mapped_column(JSONB, default=list)
    """Files of the bundle that no depot delivers."""
    # Large, and read by one page only.
    left_out: Mapped[list[LeftOut]] = mapped_column(Typed(list[LeftOut]), default=list, deferred=True)
    left_out_files: Mapped[int] = mapped_column(default=0)
    left_out_size: Mapped[int] = mapped_column(BigInteger, default=0)
    statement: Mapped[bytes | None] = mapped_column(LargeBinary)


class BuildSymbolsRow(Base):
    """The symbols that are kept apart, by their manifest; they are never delivered."""

    __tablename__ = "build_symbols"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    manifest: Mapped[bytes] = mapped_column(LargeBinary)
    files: Mapped[int] = mapped_column(default=0)
    size: Mapped[int] = mapped_column(BigInteger, default=0)


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
    selector: Mapped[Selector] = mapped_column(Typed(Selector), default=Selector)
    """Whom it is for."""


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
    read_back: Mapped[BundleVerified | None] = mapped_column(Typed(BundleVerified))
    """What the bundle says of itself, and what holds of its signatures."""
    grant: Mapped[int] = mapped_column(default=0)
    """The number of the grant that it was signed with; 0: none."""
    bare: Mapped[str] = mapped_column(String(64), default="")
    """SHA-256 of the bundle without its signature: what building again must give."""


class InnerSignatureRow(Base):
    """What was signed for the inside of a build's package, once: asked again, the service answers with the same."""

    __tablename__ = "inner_signature"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    sha256: Mapped[bytes] = mapped_column(LargeBinary)
    """Of the unsigned package."""
    jar: Mapped[bytes] = mapped_column(LargeBinary)
    v2: Mapped[bytes] = mapped_column(LargeBinary)
    v3: Mapped[bytes] = mapped_column(LargeBinary)
    at: Mapped[dt.datetime]


class SymbolFileRow(Base):
    """Symbols of one native binary, findable by its build id (hexadecimal)."""

    __tablename__ = "symbol_file"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    path: Mapped[str] = mapped_column(String(1100), primary_key=True)
    ident: Mapped[str] = mapped_column(String(130), index=True)
    size: Mapped[int] = mapped_column(BigInteger)
    build: Mapped[BuildRow] = relationship(lazy="joined")


def find_build(session: Session, slug: str, number: int, *, lock: bool = False) -> BuildRow:
    title = find_title(session, slug)
    rows = select(BuildRow).where(BuildRow.title_id == title.id, BuildRow.number == number)
    build = first_of(session, rows, lock=lock)
    if build is None:
        raise NotFound(
            "build.unknown",
            f"there is no build {slug}#{number}",
            where="build",
            hint=f"The newest is {slug}#{title.last_build}." if title.last_build else "There is none yet.",
        )
    return build


def must_be_open(build: BuildRow) -> BuildRow:
    if build.state != BuildState.OPEN:
        raise Conflict("build.closed", f"{build.name} is {build.state}: nothing can be sent to it any more")
    return build
