"""Devices: registered machines that install, and what they call with."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import BigInteger, ForeignKey, LargeBinary, String, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.db.base import Base, Identified, Typed
from rampa.db.builds import BuildRow
from rampa.db.channels import ChannelRow
from rampa.db.people import PersonRow
from rampa.db.titles import find_title


class DeviceRow(Identified, Base):
    __tablename__ = "device"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    platform: Mapped[str] = mapped_column(String(40))
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"), index=True)
    number: Mapped[str] = mapped_column(String(64), default="")
    """A random one that it chose; it says which part of a rollout the device is in."""
    simulated: Mapped[bool] = mapped_column(default=False)
    build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"))
    registered_by: Mapped[str] = mapped_column(String(200))
    last_seen_at: Mapped[dt.datetime | None]
    downloaded: Mapped[int] = mapped_column(BigInteger, default=0)
    person_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("person.id"), index=True)
    """Whose it is; None for one that an engineer wrote down."""
    public_key: Mapped[bytes | None] = mapped_column(LargeBinary)
    """Ed25519, raw; the other half never leaves the device."""
    uses: Mapped[int] = mapped_column(BigInteger, default=0)
    """What the device counted last: a copy of it falls behind."""
    form: Mapped[str] = mapped_column(String(40), default="")
    """Its class, as it says."""
    level: Mapped[str] = mapped_column(String(40), default="")
    """Its system's level, as it says."""
    depots: Mapped[list[str]] = mapped_column(Typed(list[str]), default=list)
    """Those that it said to have, sorted."""
    rate: Mapped[float] = mapped_column(default=0.0)
    """Mbit/s of its last download that said something."""
    unpacks: Mapped[float] = mapped_column(default=0.0)
    """MB of content a second, as it measured itself; 0 where it did not say."""
    channel: Mapped[ChannelRow] = relationship(lazy="joined")
    build: Mapped[BuildRow | None] = relationship(lazy="joined")
    person: Mapped[PersonRow | None] = relationship(lazy="joined")
    __table_args__ = (UniqueConstraint("title_id", "name"), UniqueConstraint("title_id", "public_key"))


class DeviceCodeRow(Identified, Base):
    """What a person registers one device with, once, within minutes; only the SHA-256 of the code is kept."""

    __tablename__ = "device_code"
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"))
    expires_at: Mapped[dt.datetime]
    person: Mapped[PersonRow] = relationship(lazy="joined", innerjoin=True)
    channel: Mapped[ChannelRow] = relationship(lazy="joined", innerjoin=True)


class DeviceTokenRow(Identified, Base):
    """What a device calls with for minutes, for a proof by its key; only the SHA-256 of its secret is kept."""

    __tablename__ = "device_token"
    device_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("device.id", ondelete="CASCADE"), index=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    expires_at: Mapped[dt.datetime]
    device: Mapped[DeviceRow] = relationship(lazy="joined", innerjoin=True)


def find_device(session: Session, slug: str, name: str) -> DeviceRow:
    title = find_title(session, slug)
    row = session.scalar(select(DeviceRow).where(DeviceRow.title_id == title.id, DeviceRow.name == name))
    if row is None:
        raise NotFound("device.unknown", f"{slug} has no device {name!r}", where="device")
    return row
