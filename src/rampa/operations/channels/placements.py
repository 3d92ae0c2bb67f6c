"""Placements and channels as they are read."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from rampa.core.errors import NotFound
from rampa.core.placement.life import PlacementState
from rampa.core.placement.stations import CHANNELS
from rampa.db.channels import ChannelRow, DeviceRow, PlacementRow
from rampa.operations.base.context import PLACERS, Actor, Services
from rampa.operations.builds.views import live_channels, summary
from rampa.operations.titles.titles import find_title
from rampa.schema import channels as wire
from rampa.schema.common import Action

HISTORY = 50


def list_channels(services: Services, actor: Actor, slug: str) -> wire.ChannelList:
    with services.db.transaction() as session:
        title = find_title(session, slug)
        rows = {c.name: c for c in session.scalars(select(ChannelRow).where(ChannelRow.title_id == title.id))}
        return wire.ChannelList(
            items=[_channel(session, actor, slug, rows[s.name]) for s in CHANNELS if s.name in rows]
        )


def get_channel(services: Services, actor: Actor, slug: str, name: str) -> wire.Channel:
    for channel in list_channels(services, actor, slug).items:
        if channel.name == name:
            return channel
    raise NotFound("channel.unknown", f"{slug} has no channel {name!r}", where="channel")


def get_offer(services: Services, slug: str, name: str, platform: str) -> wire.Offer:
    """What a device that follows the channel should have now. Raises `NotFound` when nothing is live."""
    with services.db.transaction() as session:
        title = find_title(session, slug)
        channel = session.scalar(select(ChannelRow).where(ChannelRow.title_id == title.id, ChannelRow.name == name))
        live = live_placement(session, channel, platform) if channel else None
        if live is None:
            raise NotFound(
                "offer.none",
                f"nothing is live on {name} of {slug} for {platform}",
                hint=f"Place a build: `rampa channel place {slug}#N --on {name}`.",
            )
        return wire.Offer(
            title=slug,
            build=live.build.number,
            name=live.build.name,
            version_name=live.build.version_name,
            version_code=live.build.version_code,
            placed_at=live.created_at,
        )


def live_placement(session: Session, channel: ChannelRow, platform: str) -> PlacementRow | None:
    return session.scalar(
        select(PlacementRow).where(
            PlacementRow.channel_id == channel.id,
            PlacementRow.platform == platform,
            PlacementRow.state == PlacementState.LIVE,
        )
    )


def describe_placement(session: Session, placement: PlacementRow, actor: Actor) -> wire.Placement:
    following, having = _devices(session, placement)
    live = placement.state == PlacementState.LIVE
    role = "" if actor.role in PLACERS else f"A {actor.role} may not."
    names = live_channels(session, [placement.build])
    return wire.Placement(
        number=placement.number,
        channel=placement.channel.name,
        platform=placement.platform,
        state=placement.state,
        build=summary(placement.build, names.get(placement.build.number, [])),
        placed_at=placement.created_at,
        placed_by=placement.placed_by,
        ended_at=placement.ended_at,
        devices=having,
        following=following,
        allowed_actions=[
            Action(
                name="withdraw",
                possible=live and not role,
                reason=role or ("" if live else f"It is {placement.state}."),
            )
        ],
    )


def _devices(session: Session, placement: PlacementRow) -> tuple[int, int]:
    """(devices that follow, those of them that have this build)."""
    same_build = func.count().filter(DeviceRow.build_id == placement.build_id)
    rows = select(func.count(), same_build).where(
        DeviceRow.channel_id == placement.channel_id, DeviceRow.platform == placement.platform
    )
    following, having = session.execute(rows).one()
    return following, having


def _channel(session: Session, actor: Actor, slug: str, channel: ChannelRow) -> wire.Channel:
    station = next(s for s in CHANNELS if s.name == channel.name)
    rows = list(
        session.scalars(
            select(PlacementRow)
            .where(PlacementRow.channel_id == channel.id)
            .order_by(PlacementRow.number.desc())
            .limit(HISTORY)
        )
    )
    out = [describe_placement(session, p, actor) for p in rows]
    role = "" if actor.role in PLACERS else f"A {actor.role} may not."
    reason = role or station.closed
    return wire.Channel(
        name=channel.name,
        title=slug,
        live=sorted((p for p in out if p.state == PlacementState.LIVE), key=lambda p: p.platform),
        history=out,
        closed=station.closed,
        allowed_actions=[Action(name="place", possible=not reason, reason=reason)],
    )
