"""The files of a title's delivery, by the names that they have everywhere; and the places where they lie besides."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, Text, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from rampa.core.errors import NotFound
from rampa.db.base import Base, Identified
from rampa.db.titles import find_title


class DeliveryFileRow(Identified, Base):
    """A file that devices of a channel are sent to; without a channel, metadata that all of the title's devices read.

    `change`: the title's count when it came, or when it was found to be over. `data` is None for what lies in the content store.
    """

    __tablename__ = "delivery_file"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    channel_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("channel.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    size: Mapped[int] = mapped_column(BigInteger)
    data: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    change: Mapped[int]
    everybody: Mapped[bool]
    """Whether its channel was for everybody when that was last looked at: mirrors are told of what is so no more."""
    gone_at: Mapped[dt.datetime | None]
    """When nothing named it any more; it is kept a while for devices in the middle of an update."""
    over: Mapped[bool] = mapped_column(default=False)
    """Then it is no file any more, and mirrors remove it."""
    __table_args__ = (
        UniqueConstraint("title_id", "channel_id", "name", postgresql_nulls_not_distinct=True),
        Index("ix_delivery_file_change", "title_id", "change"),
        Index("ix_delivery_file_name", "title_id", "name"),
    )


class DeliveryOriginRow(Identified, Base):
    """A place where the files of the title's channels for everybody lie, as somebody wrote them there."""

    __tablename__ = "delivery_origin"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    address: Mapped[str] = mapped_column(String(1000))
    priority: Mapped[int]
    paused: Mapped[bool] = mapped_column(default=False)
    made_by: Mapped[str] = mapped_column(String(200))
    looked_at: Mapped[dt.datetime | None]
    good_at: Mapped[dt.datetime | None]
    """When it last had what the service has."""
    said: Mapped[str] = mapped_column(Text, default="")
    """What was wrong when it was last looked at; empty for nothing."""
    __table_args__ = (UniqueConstraint("title_id", "name"),)


def find_origin(session: Session, slug: str, name: str) -> DeliveryOriginRow:
    title = find_title(session, slug)
    rows = select(DeliveryOriginRow).where(DeliveryOriginRow.title_id == title.id, DeliveryOriginRow.name == name)
    row = session.scalar(rows)
    if row is None:
        raise NotFound("origin.unknown", f"{slug} has no origin {name!r}", where="origin")
    return row
