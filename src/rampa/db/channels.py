"""Channels with their lines and placements."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Iterable

from sqlalchemy import (
    ColumnElement,
    ForeignKey,
    Index,
    Select,
    String,
    Text,
    UniqueConstraint,
    case,
    or_,
    select,
    tuple_,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.health.comparison import Verdict
from rampa.core.placement.channels import Audience
from rampa.core.placement.gates import Gate
from rampa.core.placement.life import LIVE, PlacementState
from rampa.core.placement.plan import GrowthPlan
from rampa.core.placement.share import ALL
from rampa.db.base import Base, Coded, Identified, Typed, first_of, new_id
from rampa.db.builds import BuildOriginRow, BuildRow
from rampa.db.titles import TitleRow, find_title


class ChannelRow(Identified, Base):
    """A channel of a title, in the title's order. `version` rises with every placement: it is the channel's ETag."""

    __tablename__ = "channel"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    former: Mapped[list[str]] = mapped_column(JSONB, default=list)
    """Names that it had: devices still ask by them."""
    position: Mapped[int]
    audience: Mapped[Audience] = mapped_column(Coded(Audience))
    reviewed: Mapped[bool] = mapped_column(default=False)
    """Only what reviewers passed may stand there."""
    gates: Mapped[tuple[Gate, ...]] = mapped_column(Typed(tuple[Gate, ...]), default=())
    """What must be true of a build before it stands there."""
    version: Mapped[int] = mapped_column(default=0)
    __table_args__ = (UniqueConstraint("title_id", "name"),)


class LineRow(Identified, Base):
    """The part of a channel that one storefront delivers for one platform; without a storefront, Rampa delivers it itself."""

    __tablename__ = "line"
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"))
    platform: Mapped[str] = mapped_column(String(40))
    storefront: Mapped[str] = mapped_column(String(40), default="")
    channel: Mapped[ChannelRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("channel_id", "platform", "storefront"),)


class PlacementRow(Identified, Base):
    """A build on a line. Two may be live at once, each with its share of the line's devices, in per mille.

    `next_at`: when its plan's next step is due. `back`: rolled back to, so that devices go down to its version code.
    """

    __tablename__ = "placement"
    line_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("line.id"), index=True)
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"))
    number: Mapped[int]
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), index=True)
    state: Mapped[PlacementState] = mapped_column(Coded(PlacementState))
    share: Mapped[int] = mapped_column(default=ALL)
    plan: Mapped[GrowthPlan | None] = mapped_column(Typed(GrowthPlan | None))
    next_at: Mapped[dt.datetime | None] = mapped_column(index=True)
    held_at: Mapped[dt.datetime | None]
    held_why: Mapped[str] = mapped_column(Text, default="")
    back: Mapped[bool] = mapped_column(default=False)
    release_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("release.id"), index=True)
    """The release that it was placed with."""
    submission_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("submission.id"), index=True)
    """Through which a storefront delivers it; None: Rampa does."""
    placed_by: Mapped[str] = mapped_column(String(200))
    ended_at: Mapped[dt.datetime | None]
    verdict: Mapped[Verdict | None] = mapped_column(Coded(Verdict))
    """What its devices say beside those of the build before, when it was last looked at; None: not yet."""
    health_said: Mapped[str] = mapped_column(Text, default="")
    health_at: Mapped[dt.datetime | None]
    line: Mapped[LineRow] = relationship(lazy="joined", innerjoin=True)
    build: Mapped[BuildRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("channel_id", "number"), Index("ix_placement_live", "line_id", "state"))

    @property
    def channel(self) -> ChannelRow:
        return self.line.channel

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"{self.build.name} on {self.channel.name}"

    @property
    def title_slug(self) -> str:
        return self.build.title.slug


class PlacementChangeRow(Base):
    """What a placement was from a moment on: what was live where at any time is read from these."""

    __tablename__ = "placement_change"
    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=new_id)
    placement_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("placement.id"), index=True)
    at: Mapped[dt.datetime] = mapped_column(index=True)
    state: Mapped[PlacementState] = mapped_column(Coded(PlacementState))
    share: Mapped[int]
    by: Mapped[str] = mapped_column(String(200))
    why: Mapped[str] = mapped_column(Text, default="")


class BuildApprovalRow(Base):
    """Somebody's word that a build may stand on a channel."""

    __tablename__ = "build_approval"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), primary_key=True)
    at: Mapped[dt.datetime]


class GateWaiverRow(Base):
    """A gate that an owner waived for one build, and why; it is never taken away."""

    __tablename__ = "gate_waiver"
    build_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("build.id"), primary_key=True)
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"), primary_key=True)
    gate: Mapped[str] = mapped_column(String(80), primary_key=True)
    reason: Mapped[str] = mapped_column(Text)
    waived_by: Mapped[str] = mapped_column(String(200))
    at: Mapped[dt.datetime]


def placed_since(since: dt.datetime) -> Select[uuid.UUID]:
    """Builds that are live, or were until another came, later than that: they can be gone back to."""
    replaced = (PlacementRow.state == PlacementState.SUPERSEDED) & (PlacementRow.ended_at > since)
    return select(PlacementRow.build_id).where(or_(PlacementRow.state.in_(LIVE), replaced))


def live_channels(session: Session, builds: Iterable[BuildRow]) -> dict[int, list[str]]:
    """Build number -> names of the channels where it is live."""
    # Numbers of builds count by title, and the builds asked for are always of one.
    numbers = {b.id: b.number for b in builds}
    rows = session.execute(
        select(PlacementRow.build_id, ChannelRow.name)
        .join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
        .where(PlacementRow.build_id.in_(numbers), PlacementRow.state.in_(LIVE))
        .order_by(ChannelRow.position)
    )
    live: dict[int, list[str]] = {}
    for build_id, name in rows:
        live.setdefault(numbers[build_id], []).append(name)
    return live


def live_files(session: Session, builds: Iterable[BuildRow]) -> dict[int, dict[str, int]]:
    """Build number -> channel -> the live build that has its files there: itself, or the same under a new version code."""
    known = {(b.title_id, b.number) for b in builds}
    of = case((BuildOriginRow.content_of > 0, BuildOriginRow.content_of), else_=BuildRow.number)
    rows = (
        select(of, ChannelRow.name, BuildRow.number)
        .select_from(PlacementRow)
        .join(BuildRow, BuildRow.id == PlacementRow.build_id)
        .join(BuildOriginRow, BuildOriginRow.build_id == BuildRow.id)
        .join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
        .where(PlacementRow.state.in_(LIVE), tuple_(BuildRow.title_id, of).in_(known))
        .order_by(ChannelRow.position, BuildRow.number.desc())
    )
    live: dict[int, dict[str, int]] = {}
    for number, name, there in session.execute(rows) if known else ():
        live.setdefault(number, {})[name] = there
    return live


def is_named(name: str) -> ColumnElement[bool]:
    """A name that a channel had is as good; no other channel of the title can have it."""
    return or_(ChannelRow.name == name, ChannelRow.former.contains([name]))


def for_everybody(session: Session, identifier: str, name: str) -> tuple[ChannelRow, TitleRow] | None:
    """The channel of the title with this identifier. None alike for one by invitation and for none: which there are is nobody's
    business."""
    rows = (
        select(ChannelRow, TitleRow)
        .join(TitleRow, TitleRow.id == ChannelRow.title_id)
        .where(TitleRow.identifier == identifier, ChannelRow.audience == Audience.FOR_EVERYBODY, is_named(name))
    )
    found = session.execute(rows).first()
    return found.tuple() if found is not None else None


def open_to_everybody(title: uuid.UUID) -> Select[uuid.UUID]:
    """The title's channels for everybody, by their ids."""
    return select(ChannelRow.id).where(ChannelRow.title_id == title, ChannelRow.audience == Audience.FOR_EVERYBODY)


def live_there(channel: uuid.UUID, number: int) -> Select[BuildRow]:
    """The build of that number, where it is live on the channel."""
    placed = select(PlacementRow.build_id).where(PlacementRow.channel_id == channel, PlacementRow.state.in_(LIVE))
    return select(BuildRow).where(BuildRow.number == number, BuildRow.id.in_(placed))


def find_channel(session: Session, slug: str, name: str, *, lock: bool = False) -> ChannelRow:
    title = find_title(session, slug)
    rows = select(ChannelRow).where(ChannelRow.title_id == title.id, is_named(name))
    channel = first_of(session, rows, lock=lock)
    if channel is None:
        names = select(ChannelRow.name).where(ChannelRow.title_id == title.id).order_by(ChannelRow.position)
        known = ", ".join(session.scalars(names))
        raise NotFound("channel.unknown", f"{slug} has no channel {name!r}", where="channel", hint=f"It has: {known}.")
    return channel
