"""What stands where for a title: its channels, what is live on their lines, and what was ever placed, in a handful of queries.

Checks of many builds against many channels read it, so that a page asks the database no more often for ten profiles than for one.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field

from sqlalchemy import func, select

from rampa.core.check.placement import Standing
from rampa.core.placement.life import LIVE, PlacementState
from rampa.db import (
    BindingRow,
    BuildRow,
    ChannelRow,
    DeviceRow,
    LineRow,
    PlacementRow,
    SigningIdentityRow,
    TitleRow,
    storefront_titles,
)
from rampa.operations.base import UnitOfWork

Key = tuple[str, str]
"""(channel, platform)"""


@dataclass
class TitleStanding:
    """`placed`: the highest version codes that were ever placed, with the build's number and name, highest first."""

    title: TitleRow
    channels: dict[str, ChannelRow] = field(default_factory=dict)
    live: dict[Key, list[PlacementRow]] = field(default_factory=lambda: defaultdict(list))
    placed: dict[Key, list[tuple[int, int]]] = field(default_factory=lambda: defaultdict(list))
    following: dict[Key, int] = field(default_factory=dict)
    having: dict[tuple[Key, int], int] = field(default_factory=dict)
    bindings: dict[tuple[str, str], BindingRow] = field(default_factory=dict)
    identities: list[SigningIdentityRow] = field(default_factory=list)
    storefronts: dict[str, str] = field(default_factory=dict)
    """What connected storefronts call themselves."""

    def live_on(self, channel: str, platform: str, storefront: str | None = None) -> list[PlacementRow]:
        """A line's live placements, newest first; of all of the platform's lines, where no storefront is asked for."""
        found = [p for p in self.live[channel, platform] if storefront is None or p.line.storefront == storefront]
        return sorted(found, key=lambda p: -p.number)

    def names_of(self, number: int) -> list[str]:
        """The channels on which a build is live, in their order."""
        live = {key[0] for key, rows in self.live.items() for row in rows if row.build.number == number}
        return [name for name in self.channels if name in live]

    def beside(self, placement: PlacementRow) -> PlacementRow | None:
        """Another one that takes a part of a whole placement's devices."""
        if placement.state != PlacementState.WHOLE:
            return None
        live = self.live[placement.channel.name, placement.line.platform]
        return next((p for p in live if p.line_id == placement.line_id and p.id != placement.id), None)

    def highest(self, channel: str, platform: str, number: int) -> Standing:
        """The highest version code that another build ever had there.

        Withdrawn ones count: devices may have them. The build itself does not: it can come back after a withdrawal.
        """
        others = ((code, other) for code, other in self.placed[channel, platform] if other != number)
        code, other = next(others, (None, 0))
        return Standing(code, f"{self.title.slug}#{other}" if code is not None else "")


def load_standing(uow: UnitOfWork, title: TitleRow) -> TitleStanding:
    standing = TitleStanding(title)
    channels = select(ChannelRow).where(ChannelRow.title_id == title.id).order_by(ChannelRow.position)
    standing.channels = {c.name: c for c in uow.session.scalars(channels)}
    _placements(uow, standing)
    _devices(uow, standing)
    # Every storefront's, not the title's: which identifier a profile has is not known before its document is read.
    identifiers = select(BindingRow)
    standing.bindings = {(b.identifier, b.place): b for b in uow.session.scalars(identifiers)}
    standing.identities = list(uow.session.scalars(select(SigningIdentityRow)))
    standing.storefronts = storefront_titles(uow.session)
    return standing


def _placements(uow: UnitOfWork, standing: TitleStanding) -> None:
    of_title = [c.id for c in standing.channels.values()]
    live = select(PlacementRow).where(PlacementRow.channel_id.in_(of_title), PlacementRow.state.in_(LIVE))
    for row in uow.session.scalars(live.order_by(PlacementRow.number)):
        standing.live[row.channel.name, row.line.platform].append(row)
    ever = (
        select(ChannelRow.name, LineRow.platform, BuildRow.version_code, BuildRow.number)
        .select_from(PlacementRow)
        .join(LineRow, LineRow.id == PlacementRow.line_id)
        .join(ChannelRow, ChannelRow.id == LineRow.channel_id)
        .join(BuildRow, BuildRow.id == PlacementRow.build_id)
        .where(PlacementRow.channel_id.in_(of_title))
        .distinct()
        .order_by(BuildRow.version_code.desc())
    )
    # Taken apart by channel and platform here: a query for each row of a page was hundreds of them.
    for channel, platform, code, number in uow.session.execute(ever):
        standing.placed[channel, platform].append((code, number))


def _devices(uow: UnitOfWork, standing: TitleStanding) -> None:
    """How many devices follow each channel, and how many of them have which build."""
    names = {c.id: c.name for c in standing.channels.values()}
    rows = (
        select(DeviceRow.channel_id, DeviceRow.platform, BuildRow.number, func.count())
        .outerjoin(BuildRow, BuildRow.id == DeviceRow.build_id)
        .where(DeviceRow.title_id == standing.title.id)
        .group_by(DeviceRow.channel_id, DeviceRow.platform, BuildRow.number)
    )
    for channel_id, platform, number, count in uow.session.execute(rows):
        key = (names[channel_id], platform)
        standing.following[key] = standing.following.get(key, 0) + count
        # A device that reported nothing yet follows, and has no build.
        if number is not None:
            standing.having[key, number] = count
