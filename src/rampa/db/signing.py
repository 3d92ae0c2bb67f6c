"""What belongs to signing identities: unlocked ones, certificates that storefronts know, grants."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, Text, UniqueConstraint, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound, Refused
from rampa.core.signing.key_policy import KeyPolicy
from rampa.db.base import Base, Identified, Typed, first_of
from rampa.db.runs import RunRow
from rampa.db.titles import TitleRow


class SigningIdentityRow(Identified, Base):
    """A private key with its certificate. The key rests sealed; it leaves only as an export under a password."""

    __tablename__ = "signing_identity"
    name: Mapped[str] = mapped_column(String(60), unique=True)
    kind: Mapped[str] = mapped_column(String(20))
    subject: Mapped[str] = mapped_column(String(300))
    fingerprint: Mapped[str] = mapped_column(String(64))
    certificate: Mapped[str] = mapped_column(Text)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    """Empty where the key is outside."""
    outside: Mapped[str] = mapped_column(String(100), default="")
    """The label of a key in the key module, which alone has it; empty where the key rests here."""
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
    policy: Mapped[KeyPolicy] = mapped_column(Typed(KeyPolicy), default=KeyPolicy)


class RunApprovalRow(Base):
    """Somebody's word that a run may be signed."""

    __tablename__ = "run_approval"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), primary_key=True)
    at: Mapped[dt.datetime]


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


def identity_names(session: Session) -> frozenset[str]:
    """What checks of profiles compare with."""
    return frozenset(session.scalars(select(SigningIdentityRow.name)))


def find_key(session: Session, name: str, *, lock: bool = False) -> SigningIdentityRow:
    rows = select(SigningIdentityRow).where(SigningIdentityRow.name == name)
    row = first_of(session, rows, lock=lock)
    if row is None:
        raise NotFound(
            "key.unknown",
            f"there is no signing identity {name!r}",
            where="identity",
            hint=f"Make it with `rampa key make {name}`, or name another in the profile.",
        )
    return row


def locked(name: str) -> Refused:
    return Refused(
        "key.locked",
        f"the signing identity {name} is locked",
        where=name,
        hint=f"An owner or engineer who knows its passphrase unlocks it: rampa key unlock {name}",
    )
