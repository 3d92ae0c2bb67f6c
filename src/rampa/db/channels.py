"""Channels, placements, devices."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, Index, String, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from rampa.db.base import Base, Identified
from rampa.db.builds import BuildRow


class ChannelRow(Identified, Base):
    """`version` rises with every placement: it is the channel's ETag."""

    __tablename__ = "channel"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    version: Mapped[int] = mapped_column(default=0)
    __table_args__ = (UniqueConstraint("title_id", "name"),)


class PlacementRow(Identified, Base):
    """At most one is live a channel and platform; the database itself holds that."""

    __tablename__ = "placement"
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"))
    number: Mapped[int]
    platform: Mapped[str] = mapped_column(String(40))
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), index=True)
    state: Mapped[str] = mapped_column(String(20))
    placed_by: Mapped[str] = mapped_column(String(200))
    ended_at: Mapped[dt.datetime | None]
    channel: Mapped[ChannelRow] = relationship(lazy="joined")
    build: Mapped[BuildRow] = relationship(lazy="joined")
    __table_args__ = (
        UniqueConstraint("channel_id", "number"),
        Index("uq_placement_live", "channel_id", "platform", unique=True, postgresql_where=text("state = 'live'")),
    )


class DeviceRow(Identified, Base):
    __tablename__ = "device"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    platform: Mapped[str] = mapped_column(String(40))
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"), index=True)
    simulated: Mapped[bool] = mapped_column(default=False)
    build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"))
    registered_by: Mapped[str] = mapped_column(String(200))
    last_seen_at: Mapped[dt.datetime | None]
    downloaded: Mapped[int] = mapped_column(BigInteger, default=0)
    channel: Mapped[ChannelRow] = relationship(lazy="joined")
    build: Mapped[BuildRow | None] = relationship(lazy="joined")
    __table_args__ = (UniqueConstraint("title_id", "name"),)
