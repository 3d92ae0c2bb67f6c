"""Scheduled placements: a build or a release, for a channel, at a moment or when gates open."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ColumnElement, ForeignKey, String, Text, UniqueConstraint, and_, exists, or_, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.placement.plan import GrowthPlan
from rampa.core.placement.schedule import ScheduledState
from rampa.db.base import Base, Coded, Identified, Typed, first_of
from rampa.db.builds import BuildRow
from rampa.db.channels import ChannelRow, PlacementRow
from rampa.db.releases import ReleaseRow
from rampa.db.titles import TitleRow, find_title

LATELY = dt.timedelta(days=3)
"""For so long it is shown that a scheduled placement was refused."""


class ScheduledRow(Identified, Base):
    """Of a build or of a release. `at` None: when its gates open. `person_id` None: a run began it, named `by`.

    `said`: what it waits for, or why it was refused. `share` per mille; None with neither share nor plan: every device.
    """

    __tablename__ = "scheduled_placement"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"))
    build_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("build.id"), index=True)
    release_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("release.id"))
    share: Mapped[int | None]
    plan: Mapped[GrowthPlan | None] = mapped_column(Typed(GrowthPlan | None))
    at: Mapped[dt.datetime | None]
    person_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("person.id"))
    by: Mapped[str] = mapped_column(String(200))
    state: Mapped[ScheduledState] = mapped_column(Coded(ScheduledState), index=True)
    said: Mapped[str] = mapped_column(Text, default="")
    looked_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    channel: Mapped[ChannelRow] = relationship(lazy="joined", innerjoin=True)
    build: Mapped[BuildRow | None] = relationship(lazy="joined")
    release: Mapped[ReleaseRow | None] = relationship(lazy="joined")
    __table_args__ = (UniqueConstraint("title_id", "number"),)

    @property
    def what(self) -> str:
        """The build or the release, as people say it."""
        return self.build.name if self.build else self.release.name if self.release else ""

    @property
    def name(self) -> str:
        """What people say aloud."""
        return f"{self.what} on {self.channel.name}"

    @property
    def title_slug(self) -> str:
        return self.title.slug


def pending(now: dt.datetime) -> ColumnElement[bool]:
    """What waits, and what was refused of late and did not go there since: one click from going."""
    same = or_(PlacementRow.build_id == ScheduledRow.build_id, PlacementRow.release_id == ScheduledRow.release_id)
    since = PlacementRow.created_at > ScheduledRow.created_at
    went = exists().where(same, PlacementRow.channel_id == ScheduledRow.channel_id, since)
    refused = and_(ScheduledRow.state == ScheduledState.REFUSED, ScheduledRow.ended_at > now - LATELY, ~went)
    return or_(ScheduledRow.state == ScheduledState.WAITING, refused)


def find_scheduled(session: Session, slug: str, number: int, *, lock: bool = False) -> ScheduledRow:
    title = find_title(session, slug)
    rows = select(ScheduledRow).where(ScheduledRow.title_id == title.id, ScheduledRow.number == number)
    found = first_of(session, rows, lock=lock)
    if found is None:
        hint = f"rampa channel scheduled --title {slug}"
        raise NotFound("schedule.unknown", f"{slug} has no scheduled placement {number}", where="scheduled", hint=hint)
    return found
