"""A storefront's own tables, in a database of its own."""

from __future__ import annotations

import datetime as dt
import uuid
from typing import Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, Identity, LargeBinary, String, Text, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

Moment = DateTime(timezone=True)


class StoreBase(DeclarativeBase):
    type_annotation_map = {dt.datetime: Moment, dict[str, Any]: JSONB, list[Any]: JSONB}


def _new_id() -> str:
    return str(uuid.uuid4())


class ClientRow(StoreBase):
    """A program that may ask a studio for access. Its secret is kept as a digest."""

    __tablename__ = "client"
    client_id: Mapped[str] = mapped_column(String(48), primary_key=True)
    secret: Mapped[bytes] = mapped_column(LargeBinary)
    name: Mapped[str] = mapped_column(String(200))
    redirect_uris: Mapped[list[Any]]


class CodeRow(StoreBase):
    """A code on its way from the browser to the program: good once, for a minute."""

    __tablename__ = "code"
    digest: Mapped[bytes] = mapped_column(LargeBinary, primary_key=True)
    client_id: Mapped[str] = mapped_column(String(48))
    redirect_uri: Mapped[str] = mapped_column(Text)
    scopes: Mapped[list[Any]]
    challenge: Mapped[str] = mapped_column(String(128))
    until: Mapped[dt.datetime]


class StoreTokenRow(StoreBase):
    """An access token with its refresh token, both as digests. `family`: those that came of one consent."""

    __tablename__ = "token"
    id: Mapped[str] = mapped_column(String(36), primary_key=True, default=_new_id)
    family: Mapped[str] = mapped_column(String(36), index=True)
    client_id: Mapped[str] = mapped_column(String(48))
    access: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    refresh: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    scopes: Mapped[list[Any]]
    until: Mapped[dt.datetime]
    revoked: Mapped[bool] = mapped_column(default=False)
    used: Mapped[bool] = mapped_column(default=False)
    """Its refresh token was taken: once more, and the whole family is revoked (RFC 6819, 5.2.2.3)."""


class StoreTitleRow(StoreBase):
    """A title of the studio's."""

    __tablename__ = "title"
    identifier: Mapped[str] = mapped_column(String(200), primary_key=True)
    name: Mapped[str] = mapped_column(String(100))
    first_pending: Mapped[bool]
    certificate: Mapped[str] = mapped_column(String(64), default="")


class UploadRow(StoreBase):
    """A file that arrives by tus; its bytes lie in the storefront's folder."""

    __tablename__ = "upload"
    id: Mapped[str] = mapped_column(String(36), primary_key=True, default=_new_id)
    length: Mapped[int] = mapped_column(BigInteger)
    received: Mapped[int] = mapped_column(BigInteger, default=0)
    sha256: Mapped[str] = mapped_column(String(64))
    until: Mapped[dt.datetime]
    lost: Mapped[bool] = mapped_column(default=False)


class StorePictureRow(StoreBase):
    __tablename__ = "picture"
    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    media: Mapped[str] = mapped_column(String(20))
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class StoreDocumentRow(StoreBase):
    """What the studio handed in to be verified."""

    __tablename__ = "document"
    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    media: Mapped[str] = mapped_column(String(20))
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class StoreSubmissionRow(StoreBase):
    """`asked` is what the studio sent (SubmissionIn), `moved_at` when its state came; `claimed_by` has it until `claim_until`."""

    __tablename__ = "submission"
    id: Mapped[str] = mapped_column(String(36), primary_key=True, default=_new_id)
    number: Mapped[int] = mapped_column(Identity(), unique=True)
    key: Mapped[str] = mapped_column(String(200))
    identifier: Mapped[str] = mapped_column(ForeignKey("title.identifier"), index=True)
    platform: Mapped[str] = mapped_column(String(20))
    version_code: Mapped[int] = mapped_column(BigInteger)
    asked: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(20))
    moved_at: Mapped[dt.datetime]
    made_at: Mapped[dt.datetime]
    findings: Mapped[list[Any]] = mapped_column(default=list)
    share: Mapped[int] = mapped_column(default=100)
    held: Mapped[bool] = mapped_column(default=False)
    claimed_by: Mapped[str] = mapped_column(String(100), default="")
    claim_until: Mapped[dt.datetime | None]
    title: Mapped[StoreTitleRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("key"),)


class StoreEventRow(StoreBase):
    """What happened to a submission; with `text`, what somebody wrote."""

    __tablename__ = "event"
    number: Mapped[int] = mapped_column(Identity(), primary_key=True)
    submission: Mapped[str] = mapped_column(ForeignKey("submission.id", ondelete="CASCADE"), index=True)
    at: Mapped[dt.datetime]
    state: Mapped[str] = mapped_column(String(20))
    by: Mapped[str] = mapped_column(String(100))
    text: Mapped[str] = mapped_column(Text, default="")
    about: Mapped[str] = mapped_column(String(200), default="")
    reason: Mapped[str] = mapped_column(String(40), default="")


class StoreNoteRow(StoreBase):
    """What reviewers write for one another; no studio reads it."""

    __tablename__ = "note"
    number: Mapped[int] = mapped_column(Identity(), primary_key=True)
    submission: Mapped[str] = mapped_column(ForeignKey("submission.id", ondelete="CASCADE"), index=True)
    at: Mapped[dt.datetime]
    by: Mapped[str] = mapped_column(String(100))
    text: Mapped[str] = mapped_column(Text)


class StoreNoticeRow(StoreBase):
    """Where the studio is told, and what was not told yet."""

    __tablename__ = "notice"
    number: Mapped[int] = mapped_column(Identity(), primary_key=True)
    submission: Mapped[str] = mapped_column(String(36))
    made_at: Mapped[dt.datetime]
    tries: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[dt.datetime]


class SettingRow(StoreBase):
    """One value by its name: trouble that the operator made, the address of notices."""

    __tablename__ = "setting"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[dict[str, Any]]
