"""The studio: who it is, its documents, and whether it is verified."""

from __future__ import annotations

import uuid

from sqlalchemy import LargeBinary, String, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from rampa.core.studio.verification import DocumentKind, VerificationState
from rampa.db.base import Base, Coded, Identified, Typed
from rampa.db.storefronts import StorefrontRow
from rampa.schema.storefronts import VerificationAt
from rampa.schema.studio import StudioFacts


class StudioRow(Identified, Base):
    """There is one a service. `verification` is that for Rampa's own lines, `handed_in_by` the person who handed it in."""

    __tablename__ = "studio"
    name: Mapped[str] = mapped_column(String(100))
    facts: Mapped[StudioFacts] = mapped_column(Typed(StudioFacts), default=StudioFacts)
    verification: Mapped[VerificationAt] = mapped_column(Typed(VerificationAt))
    handed_in_by: Mapped[uuid.UUID | None]


class StudioDocumentRow(Identified, Base):
    """One a kind; `digest` is the SHA-256 of what is `sealed`, `size` its bytes."""

    __tablename__ = "studio_document"
    kind: Mapped[DocumentKind] = mapped_column(Coded(DocumentKind), unique=True)
    name: Mapped[str] = mapped_column(String(200))
    media: Mapped[str] = mapped_column(String(40))
    size: Mapped[int]
    digest: Mapped[str] = mapped_column(String(64))
    sealed: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    added_by: Mapped[str] = mapped_column(String(200))

    @property
    def label(self) -> str:
        """What it is sealed for."""
        return f"studio-document:{self.id}"


def the_studio(session: Session, *, lock: bool = False) -> StudioRow:
    rows = select(StudioRow)
    return session.scalars(rows.with_for_update() if lock else rows).one()


def studio_is_verified(session: Session) -> bool:
    """For Rampa's own lines: by the studio's reviewers, or by any storefront, each of which asks for as much."""
    if the_studio(session).verification.state is VerificationState.VERIFIED:
        return True
    there = session.scalars(select(StorefrontRow.verification).where(StorefrontRow.verification.is_not(None)))
    return any(v is not None and v.state is VerificationState.VERIFIED for v in there)
