"""A title's channels: own ones beside those that it begins with, in an order, for whom; each may be renamed.

Devices know their channel by the name that it had when they were registered: an old name goes on meaning the channel, and is
never another's.
"""

from __future__ import annotations

from sqlalchemy import delete, func, select

from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.placement.channels import Audience, moved
from rampa.db import (
    ChannelRow,
    DeviceRow,
    LineRow,
    PlacementRow,
    TitleRow,
    find_channel,
    find_title,
    studio_is_verified,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.channels.placements import list_channels
from rampa.schema import channels as wire

MOST = 20
"""Of one title: a station each on the ramp."""


def add_channel(services: Services, actor: Actor, slug: str, asked: wire.NewChannel) -> wire.ChannelList:
    """Raises `Conflict` for a name that a channel has or had."""
    must(actor, Act.CHANGE_CHANNEL)
    with begin(services, actor) as uow:
        title, channels = _locked(uow, slug)
        _must_be_free(channels, asked.name)
        if len(channels) >= MOST:
            raise Refused("channel.many", f"{slug} has {MOST} channels, and no title has more", hint="Remove one.")
        channel = ChannelRow(
            title_id=title.id,
            name=asked.name,
            former=[],
            position=len(channels),
            audience=asked.audience,
            created_at=uow.now,
        )
        uow.session.add(channel)
        _order(uow, [*channels, channel], asked.name, asked.after)
        audit.record(uow, "channel.add", asked.name, slug, audience=asked.audience)
    return list_channels(services, actor, slug)


def change_channel(
    services: Services, actor: Actor, slug: str, name: str, asked: wire.ChannelChange
) -> wire.ChannelList:
    """Another name, audience or place in the order; what is not said stays. What is live there stays live."""
    must(actor, Act.CHANGE_CHANNEL)
    with begin(services, actor) as uow:
        _, channels = _locked(uow, slug)
        channel = find_channel(uow.session, slug, name)
        if asked.audience is not None and asked.audience != channel.audience:
            if asked.audience is Audience.FOR_EVERYBODY and not studio_is_verified(uow.session):
                hint = "Hand in who it is: rampa studio show, then rampa studio hand-in."
                raise Refused("studio.unverified", "nobody has verified the studio yet", where="audience", hint=hint)
            channel.audience = asked.audience
            audit.record(uow, "channel.audience", channel.name, slug, audience=asked.audience)
        if asked.name is not None and asked.name != channel.name:
            _must_be_free([c for c in channels if c is not channel], asked.name)
            audit.record(uow, "channel.rename", channel.name, slug, to=asked.name)
            former = [*channel.former, channel.name]
            channel.former, channel.name = [f for f in dict.fromkeys(former) if f != asked.name], asked.name
        if asked.after is not None:
            _order(uow, channels, channel.name, asked.after)
            audit.record(uow, "channel.move", channel.name, slug, after=asked.after or "nothing")
    return list_channels(services, actor, slug)


def remove_channel(services: Services, actor: Actor, slug: str, name: str) -> wire.ChannelList:
    """Only one that never had anything: what was live where stays known."""
    must(actor, Act.CHANGE_CHANNEL)
    with begin(services, actor) as uow:
        _, channels = _locked(uow, slug)
        channel = find_channel(uow.session, slug, name)
        placed = uow.session.scalar(
            select(func.count()).select_from(PlacementRow).where(PlacementRow.channel_id == channel.id)
        )
        devices = uow.session.scalar(
            select(func.count()).select_from(DeviceRow).where(DeviceRow.channel_id == channel.id)
        )
        if channel.reviewed or placed or devices:
            why = "reviewers pass what stands there" if channel.reviewed else "builds were placed there"
            why = why if channel.reviewed or placed else "devices follow it"
            hint = "Rename it, or put it elsewhere in the order."
            raise Refused("channel.used", f"{channel.name} cannot be removed: {why}", where="channel", hint=hint)
        uow.session.execute(delete(LineRow).where(LineRow.channel_id == channel.id))
        uow.session.delete(channel)
        _number([c for c in channels if c is not channel])
        audit.record(uow, "channel.remove", channel.name, slug)
    return list_channels(services, actor, slug)


def _locked(uow: UnitOfWork, slug: str) -> tuple[TitleRow, list[ChannelRow]]:
    """In their order. One change of them at a time, so that no two get one place."""
    title = find_title(uow.session, slug, lock=True)
    rows = select(ChannelRow).where(ChannelRow.title_id == title.id).order_by(ChannelRow.position)
    return title, list(uow.session.scalars(rows))


def _must_be_free(channels: list[ChannelRow], name: str) -> None:
    for channel in channels:
        if name == channel.name:
            raise Conflict("channel.exists", f"there is a channel {name} already", where="name")
        if name in channel.former:
            hint = "Devices know it by that name. Choose another."
            raise Conflict("channel.former", f"{name} was the name of {channel.name}", where="name", hint=hint)


def _order(uow: UnitOfWork, channels: list[ChannelRow], name: str, after: str | None) -> None:
    by_name = {c.name: c for c in channels}
    if after and after not in by_name:
        hint = f"It has: {', '.join(n for n in by_name if n != name)}."
        raise Invalid("channel.after", f"there is no channel {after} to stand behind", where="after", hint=hint)
    _number([by_name[n] for n in moved(list(by_name), name, after)])
    uow.session.flush()


def _number(channels: list[ChannelRow]) -> None:
    for position, channel in enumerate(channels):
        channel.position = position
