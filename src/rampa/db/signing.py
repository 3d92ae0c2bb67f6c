"""What belongs to signing identities: unlocked ones, certificates that storefronts know, grants."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.db.base import Base, Identified
from rampa.db.runs import RunRow
from rampa.db.titles import SigningIdentityRow, TitleRow


class UnlockRow(Identified, Base):
    """An identity that was opened with its passphrase, until a moment, or for one run. Meanwhile only the master key seals it."""

    __tablename__ = "unlock"
    identity_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("signing_identity.id"), index=True)
    run_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("run.id"))
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    expires_at: Mapped[dt.datetime]
    unlocked_by: Mapped[str] = mapped_column(String(200))
    run: Mapped[RunRow | None] = relationship(lazy="joined")


class BindingRow(Identified, Base):
    """The certificate that a storefront knows an identifier by, since its first release; moved only along a succession."""

    __tablename__ = "binding"
    identifier: Mapped[str] = mapped_column(String(200))
    place: Mapped[str] = mapped_column(String(40))
    """The storefront; the platform where the profile names none."""
    fingerprint: Mapped[str] = mapped_column(String(64))
    build: Mapped[str] = mapped_column(String(100))
    __table_args__ = (UniqueConstraint("identifier", "place"),)


class GrantRow(Identified, Base):
    """The signed list of devices that a restricted build may run on. `signed` is CMS with the list inside."""

    __tablename__ = "grant"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    identifier: Mapped[str] = mapped_column(String(200))
    purpose: Mapped[str] = mapped_column(String(20))
    identity_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("signing_identity.id"))
    devices: Mapped[list[str]] = mapped_column(JSONB)
    expires_at: Mapped[dt.datetime]
    signed: Mapped[bytes] = mapped_column(LargeBinary)
    created_by: Mapped[str] = mapped_column(String(200))
    title: Mapped[TitleRow] = relationship(lazy="joined")
    identity: Mapped[SigningIdentityRow] = relationship(lazy="joined")
    __table_args__ = (UniqueConstraint("title_id", "number"),)
