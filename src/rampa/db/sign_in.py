"""Ways to sign in beside a password: passkeys, and machines whose person is at a browser elsewhere."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, LargeBinary, String
from sqlalchemy.orm import Mapped, mapped_column

from rampa.db.base import Base, Identified


class PasskeyRow(Identified, Base):
    """A passkey's public half (WebAuthn). Nothing here is secret: the private half never leaves the device."""

    __tablename__ = "passkey"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), index=True)
    name: Mapped[str] = mapped_column(String(100))
    credential: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    """What the device calls it, chosen there."""
    public_key: Mapped[bytes] = mapped_column(LargeBinary)
    """COSE (RFC 9052)."""
    uses: Mapped[int] = mapped_column(BigInteger, default=0)
    """What the device counted last: a copy of a passkey falls behind. Always 0 where the device does not count."""
    last_used_at: Mapped[dt.datetime | None]


class SpentChallengeRow(Base):
    """A challenge that was answered, until it would have ended: each is good once."""

    __tablename__ = "spent_challenge"
    digest: Mapped[bytes] = mapped_column(LargeBinary, primary_key=True)
    until: Mapped[dt.datetime]


class SignInRequestRow(Identified, Base):
    """A machine that waits until its person allows it in a browser (RFC 8628). Only SHA-256 of both codes are kept."""

    __tablename__ = "sign_in_request"
    name: Mapped[str] = mapped_column(String(100))
    address: Mapped[str] = mapped_column(String(64))
    device_code: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    user_code: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    expires_at: Mapped[dt.datetime]
    person_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("person.id"))
    """Who allowed or refused it."""
    allowed: Mapped[bool] = mapped_column(default=False)
    confirmed_at: Mapped[dt.datetime | None]
