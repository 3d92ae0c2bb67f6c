"""The studio's accounts at storefronts, and the ways to them that people are on."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, LargeBinary, String, Text, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.submission.account import AccountState
from rampa.db.base import Base, Coded, Identified, Typed, first_of
from rampa.schema.storefronts import VerificationAt


class StorefrontRow(Identified, Base):
    """`kind`: protocol or folder. `sealed`: the program's secret and the tokens; `about`: what the storefront says of itself."""

    __tablename__ = "storefront"
    name: Mapped[str] = mapped_column(String(50), unique=True)
    kind: Mapped[str] = mapped_column(String(20))
    address: Mapped[str] = mapped_column(String(500))
    title: Mapped[str] = mapped_column(String(100))
    about: Mapped[dict[str, object]] = mapped_column(Typed(dict[str, object]))
    metadata_: Mapped[dict[str, str]] = mapped_column("oauth", Typed(dict[str, str]))
    client_id: Mapped[str] = mapped_column(String(200))
    sealed: Mapped[bytes | None] = mapped_column(LargeBinary)
    state: Mapped[AccountState] = mapped_column(Coded(AccountState))
    said: Mapped[str] = mapped_column(Text)
    studio: Mapped[str] = mapped_column(String(200))
    scopes: Mapped[list[str]] = mapped_column(Typed(list[str]))
    until: Mapped[dt.datetime | None]
    """Until when the access token holds."""
    ends_at: Mapped[dt.datetime | None]
    """When the account itself ends there, as the storefront says; null: it says nothing."""
    verification: Mapped[VerificationAt | None] = mapped_column(Typed(VerificationAt))
    """Of the studio, as the storefront last said it."""
    connected_by: Mapped[str] = mapped_column(String(200))
    connected_at: Mapped[dt.datetime | None]
    looked_at: Mapped[dt.datetime | None]

    @property
    def label(self) -> str:
        """What its secrets are sealed for."""
        return f"storefront:{self.id}"


class StorefrontConsentRow(Identified, Base):
    """A person who was sent to a storefront: `digest` of the state that comes back, the sealed verifier of its challenge."""

    __tablename__ = "storefront_consent"
    storefront_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("storefront.id", ondelete="CASCADE"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    until: Mapped[dt.datetime]
    storefront: Mapped[StorefrontRow] = relationship(lazy="joined", innerjoin=True)

    @property
    def label(self) -> str:
        return f"consent:{self.id}"


def storefront_titles(session: Session) -> dict[str, str]:
    """The short name here -> what the storefront calls itself."""
    return {name: title for name, title in session.execute(select(StorefrontRow.name, StorefrontRow.title))}


def find_storefront(session: Session, name: str, *, lock: bool = False) -> StorefrontRow:
    row = first_of(session, select(StorefrontRow).where(StorefrontRow.name == name), lock=lock)
    if row is None:
        known = ", ".join(session.scalars(select(StorefrontRow.name).order_by(StorefrontRow.name).limit(10)))
        hint = f"There is: {known}." if known else "Connect one: `rampa storefront connect`."
        raise NotFound("storefront.unknown", f"no storefront {name!r} is connected", where="storefront", hint=hint)
    return row
