"""Channels and placements as they are read."""

from __future__ import annotations

import uuid
from collections import defaultdict
from dataclasses import asdict

from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.placement import life
from rampa.core.placement.life import PlacementEvent, PlacementState
from rampa.core.placement.plan import GrowthStep, next_step, plan_text, waits_for
from rampa.core.platform.table import line_title
from rampa.db import ChannelRow, GateWaiverRow, PlacementChangeRow, PlacementRow, find_title
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, actions, begin
from rampa.operations.builds.views import summary
from rampa.operations.channels.standing import TitleStanding, load_standing
from rampa.schema import channels as wire
from rampa.schema.rollouts import PlacementChange, Rollout

HISTORY = 50
Waived = dict[tuple[uuid.UUID, uuid.UUID], list[wire.WaivedOut]]
"""By build and channel."""
NOTHING: Waived = {}
OFFERED = {
    PlacementEvent.GROW: Act.ROLL_OUT,
    PlacementEvent.HOLD: Act.ROLL_OUT,
    PlacementEvent.GO_ON: Act.ROLL_OUT,
    PlacementEvent.WITHDRAW: Act.WITHDRAW,
}
"""What people may do to a placement, in the order in which it is shown."""


def list_channels(services: Services, actor: Actor, slug: str) -> wire.ChannelList:
    """In the title's order, each with what is live; one channel alone has its history, too."""
    with begin(services, actor) as uow:
        standing = load_standing(uow, find_title(uow.session, slug))
        waived = waived_for(uow, [p for rows in standing.live.values() for p in rows])
        return wire.ChannelList(items=[_channel(actor, standing, c, [], waived) for c in standing.channels.values()])


def get_channel(services: Services, actor: Actor, slug: str, name: str) -> wire.Channel:
    with begin(services, actor) as uow:
        standing = load_standing(uow, find_title(uow.session, slug))
        channel = channel_of(standing, name)
        rows = select(PlacementRow).where(PlacementRow.channel_id == channel.id)
        history = list(uow.session.scalars(rows.order_by(PlacementRow.number.desc()).limit(HISTORY)))
        live = [p for rows in standing.live.values() for p in rows]
        return _channel(actor, standing, channel, history, waived_for(uow, [*live, *history]))


def channel_of(standing: TitleStanding, name: str) -> ChannelRow:
    for channel in standing.channels.values():
        if name == channel.name or name in channel.former:
            return channel
    hint = f"It has: {', '.join(standing.channels)}."
    raise NotFound("channel.unknown", f"{standing.title.slug} has no channel {name!r}", where="channel", hint=hint)


def get_placement(services: Services, actor: Actor, slug: str, name: str, number: int) -> Rollout:
    """One placement with all that it was."""
    with begin(services, actor) as uow:
        standing = load_standing(uow, find_title(uow.session, slug))
        channel = channel_of(standing, name)
        rows = select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.number == number)
        placement = uow.session.scalar(rows)
        if placement is None:
            raise NotFound("placement.unknown", f"{name} has no placement {number}")
        kept = select(PlacementChangeRow).where(PlacementChangeRow.placement_id == placement.id)
        changes = uow.session.scalars(kept.order_by(PlacementChangeRow.at, PlacementChangeRow.id))
        placed = describe_placement(actor, standing, placement, waived_for(uow, [placement]))
        return Rollout(
            **dict(placed),
            changes=[PlacementChange(at=c.at, state=c.state, share=c.share / 10, by=c.by, why=c.why) for c in changes],
        )


def waived_for(uow: UnitOfWork, placements: list[PlacementRow]) -> Waived:
    """What was waived for each: it is seen for ever."""
    builds = {p.build_id for p in placements}
    found: Waived = defaultdict(list)
    rows = select(GateWaiverRow).where(GateWaiverRow.build_id.in_(builds)).order_by(GateWaiverRow.at)
    for row in uow.session.scalars(rows) if builds else ():
        found[row.build_id, row.channel_id].append(waived_out(row))
    return found


def waived_out(row: GateWaiverRow) -> wire.WaivedOut:
    return wire.WaivedOut(gate=row.gate, reason=row.reason, waived_by=row.waived_by, at=row.at)


def describe_placement(
    actor: Actor, standing: TitleStanding, placement: PlacementRow, waived: Waived = NOTHING
) -> wire.Placement:
    key = (placement.channel.name, placement.line.platform)
    return wire.Placement(
        number=placement.number,
        channel=placement.channel.name,
        platform=placement.line.platform,
        storefront=placement.line.storefront,
        line=line_title(placement.line.platform, placement.line.storefront, standing.storefronts),
        state=placement.state,
        share=placement.share / 10,
        plan=plan_text(placement.plan) if placement.plan else "",
        next_at=placement.next_at if placement.state != PlacementState.HELD else None,
        next_share=step.share / 10 if (step := _next(placement)) else None,
        waits=waits_for(placement.plan, placement.share, placement.verdict) if step else "",
        held_why=placement.held_why,
        back=placement.back,
        verdict=placement.verdict,
        health_said=placement.health_said,
        health_at=placement.health_at,
        beside=other.build.number if (other := standing.beside(placement)) else 0,
        build=summary(placement.build, standing.names_of(placement.build.number)),
        placed_at=placement.created_at,
        placed_by=placement.placed_by,
        ended_at=placement.ended_at,
        devices=standing.having.get((key, placement.build.number), 0),
        following=standing.following.get(key, 0),
        waived=waived.get((placement.build_id, placement.channel_id), []),
        allowed_actions=actions(actor, life.TRANSITIONS, placement.state, OFFERED),
    )


def _next(placement: PlacementRow) -> GrowthStep | None:
    waits = placement.plan is not None and placement.state in (PlacementState.PLACED, PlacementState.GROWING)
    return next_step(placement.plan, placement.share) if placement.plan and waits else None


def _channel(
    actor: Actor, standing: TitleStanding, channel: ChannelRow, history: list[PlacementRow], waived: Waived
) -> wire.Channel:
    live = [p for rows in standing.live.values() for p in rows if p.channel_id == channel.id]
    live.sort(key=lambda p: (p.line.platform, p.line.storefront, -p.number))
    return wire.Channel(
        name=channel.name,
        title=standing.title.slug,
        audience=channel.audience,
        live=[describe_placement(actor, standing, p, waived) for p in live],
        history=[describe_placement(actor, standing, p, waived) for p in history],
        former=channel.former,
        gates=[wire.GateIn(**asdict(gate)) for gate in channel.gates],
        allowed_actions=[
            action(actor, Act.PLACE, "place"),
            action(actor, Act.CHANGE_CHANNEL, "change"),
            action(actor, Act.SET_GATES, "set gates"),
            action(actor, Act.MANAGE_TESTERS, "give access"),
        ],
    )
