"""The studio's people, their sessions and tokens, and what was done."""

from __future__ import annotations

import datetime as dt
import uuid
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, Select, String, UniqueConstraint, func, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.address import normal
from rampa.core.errors import NotFound
from rampa.db.base import Base, Identified


class PersonRow(Identified, Base):
    __tablename__ = "person"
    name: Mapped[str] = mapped_column(String(100))
    email: Mapped[str] = mapped_column(String(200), unique=True)
    role: Mapped[str] = mapped_column(String(20))
    password_hash: Mapped[str] = mapped_column(String(200))
    """Empty while they have not chosen one."""
    disabled_at: Mapped[dt.datetime | None]
    invitation: Mapped[bytes | None] = mapped_column(LargeBinary)
    """The SHA-256 of the code with which they choose a password, once."""
    invited_until: Mapped[dt.datetime | None]
    second_factor: Mapped[bool] = mapped_column(default=False)
    """There is one that counts: codes, or a passkey, in rows of their own."""
    by_provider: Mapped[bool] = mapped_column(default=False)
    """The studio's own sign-in vouches for them (OpenID Connect), and their role is what its groups say."""
    provider_subject: Mapped[str | None] = mapped_column(String(300), unique=True)
    """Who they are there: the issuer, a line's end, and the subject. None before they first came from there."""
    provider_seen_at: Mapped[dt.datetime | None]


CAN_COME = (PersonRow.password_hash != "") | PersonRow.provider_subject.is_not(None)
"""Who was invited, or handed over to the provider, and never came: nobody knows whether they can."""


class SecondFactorRow(Base):
    """The secret of a person's codes (RFC 6238), sealed. It counts `since` a code of it came back."""

    __tablename__ = "second_factor"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), primary_key=True)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    since: Mapped[dt.datetime | None]
    last_step: Mapped[int] = mapped_column(BigInteger, default=0)
    """Of the last code that was taken: none is taken twice."""
    spare: Mapped[list[str]] = mapped_column(JSONB, default=list)
    """SHA-256 of the spare codes that are left."""


class TokenRow(Identified, Base):
    """A bearer token; only the SHA-256 of its secret is kept."""

    __tablename__ = "token"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str] = mapped_column(String(100))
    role: Mapped[str] = mapped_column(String(20))
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    expires_at: Mapped[dt.datetime]
    last_used_at: Mapped[dt.datetime | None]
    made_by: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("token.id", ondelete="CASCADE"))
    """The token that made it: it ends with that."""
    confirmed_at: Mapped[dt.datetime | None]
    """When the second factor was last asked for."""
    person: Mapped[PersonRow] = relationship(lazy="joined")


class WebSessionRow(Identified, Base):
    """A signed-in browser; only the SHA-256 of its cookie is kept."""

    __tablename__ = "web_session"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    csrf_token: Mapped[str] = mapped_column(String(64))
    expires_at: Mapped[dt.datetime]
    confirmed_at: Mapped[dt.datetime | None]
    person: Mapped[PersonRow] = relationship(lazy="joined")


class GuessRow(Base):
    """A try at somebody's secret that is counted against the next ones; it goes when the secret was right, or after minutes."""

    __tablename__ = "guess"
    id: Mapped[uuid.UUID] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    account: Mapped[str] = mapped_column(String(200))
    address: Mapped[str] = mapped_column(String(64))
    at: Mapped[dt.datetime]
    __table_args__ = (
        Index("ix_guess_account", "kind", "account", "at"),
        Index("ix_guess_address", "kind", "address", "at"),
    )


class AuditEventRow(Base):
    __tablename__ = "audit_event"
    id: Mapped[uuid.UUID] = mapped_column(primary_key=True)
    at: Mapped[dt.datetime]
    who: Mapped[str] = mapped_column(String(200))
    act: Mapped[str] = mapped_column(String(60))
    subject: Mapped[str] = mapped_column(String(200))
    title: Mapped[str | None] = mapped_column(String(60))
    detail: Mapped[dict[str, Any]] = mapped_column(JSONB)
    request_id: Mapped[str] = mapped_column(String(64))
    __table_args__ = (
        Index("ix_audit_event_title_id", "title", "id"),
        Index("ix_audit_event_who_id", "who", "id"),
        Index("ix_audit_event_at", "at"),
    )


class IdempotentAnswerRow(Base):
    """The answer that a creating call gave, so that the same call gives it again. `principal` is a person or an agent."""

    __tablename__ = "idempotent_answer"
    id: Mapped[uuid.UUID] = mapped_column(primary_key=True)
    principal: Mapped[uuid.UUID]
    key: Mapped[str] = mapped_column(String(200))
    request_digest: Mapped[bytes] = mapped_column(LargeBinary)
    status: Mapped[int]
    body: Mapped[dict[str, Any]] = mapped_column(JSONB)
    at: Mapped[dt.datetime]
    __table_args__ = (UniqueConstraint("principal", "key"),)


def with_address(email: str) -> Select[PersonRow]:
    """Whoever has this address, however it is written."""
    return select(PersonRow).where(func.lower(PersonRow.email) == normal(email))


def find_person(session: Session, email: str) -> PersonRow:
    person = session.scalar(with_address(email))
    if person is None:
        hint = "Invite them first: rampa tester invite."
        raise NotFound("person.unknown", f"there is nobody with the address {email}", where="email", hint=hint)
    return person
