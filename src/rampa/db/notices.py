"""Webhooks and what is on its way to them."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.notices.delivery import DeliveryState
from rampa.db.base import Base, Coded, Identified, first_of
from rampa.db.people import AuditEventRow
from rampa.db.titles import TitleRow, find_title


class WebhookRow(Identified, Base):
    """Where events of a title are sent; `acts` are beginnings of acts, such as `build.` or `run.fail`; none: every act."""

    __tablename__ = "webhook"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    address: Mapped[str] = mapped_column(String(1000))
    acts: Mapped[list[str]] = mapped_column(JSONB, default=list)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    """The secret that signs what is sent."""
    paused: Mapped[bool] = mapped_column(default=False)
    made_by: Mapped[str] = mapped_column(String(200))
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("title_id", "name"),)


class DeliveryRow(Identified, Base):
    """One event on its way to one webhook."""

    __tablename__ = "webhook_delivery"
    webhook_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("webhook.id", ondelete="CASCADE"))
    event_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("audit_event.id"))
    state: Mapped[DeliveryState] = mapped_column(Coded(DeliveryState))
    tries: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[dt.datetime]
    status: Mapped[int] = mapped_column(default=0)
    """Of the last answer; 0: there was none."""
    answer: Mapped[str] = mapped_column(Text, default="")
    """What the target said last, or why it was not reached."""
    milliseconds: Mapped[int] = mapped_column(default=0)
    tried_at: Mapped[dt.datetime | None]
    webhook: Mapped[WebhookRow] = relationship(lazy="joined", innerjoin=True)
    event: Mapped[AuditEventRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (
        UniqueConstraint("webhook_id", "event_id"),
        Index("ix_webhook_delivery_due", "state", "next_at"),
    )


def find_webhook(session: Session, slug: str, name: str, *, lock: bool = False) -> WebhookRow:
    title = find_title(session, slug)
    rows = select(WebhookRow).where(WebhookRow.title_id == title.id, WebhookRow.name == name)
    found = first_of(session, rows, lock=lock)
    if found is None:
        there = select(WebhookRow.name).where(WebhookRow.title_id == title.id).order_by(WebhookRow.name)
        known = ", ".join(session.scalars(there)) or "none yet"
        raise NotFound("webhook.unknown", f"{slug} has no webhook {name!r}", where="webhook", hint=f"It has: {known}.")
    return found
