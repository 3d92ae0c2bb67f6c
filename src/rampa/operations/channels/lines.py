"""A channel's lines: putting a build on one, growing and ending what is there. Every change is kept, and is a new offer."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select

from rampa.core.placement.life import LIVE, PlacementEvent, PlacementState
from rampa.core.placement.plan import GrowthPlan, GrowthStep, next_step, wait_for, waits_for
from rampa.core.placement.share import ALL, must_grow, percent
from rampa.db import BuildRow, ChannelRow, LineRow, PlacementChangeRow, PlacementRow, new_id
from rampa.operations.base import UnitOfWork, transition


@dataclass(frozen=True)
class Extent:
    """How far a placement goes at first: `share` per mille of the devices, or as a plan says. `back`: devices go down to it."""

    share: int = ALL
    plan: GrowthPlan | None = None
    back: bool = False


WHOLE = Extent()


def put(uow: UnitOfWork, channel: ChannelRow, build: BuildRow, storefront: str, extent: Extent) -> PlacementRow:
    """The channel is locked by the caller. What grew on the line until now ends; what was whole stays until this is."""
    line = _line(uow, channel, build.platform, storefront)
    last = uow.session.scalar(select(func.max(PlacementRow.number)).where(PlacementRow.channel_id == channel.id)) or 0
    placement = PlacementRow(
        line=line,
        channel_id=channel.id,
        number=last + 1,
        build=build,
        state=PlacementState.PLACED,
        share=0,
        plan=extent.plan,
        back=extent.back,
        held_why="",
        health_said="",
        placed_by=uow.actor.name,
        created_at=uow.now,
    )
    for other in live_on(uow, line):
        if other.state != PlacementState.WHOLE:
            change(uow, other, PlacementEvent.SUPERSEDE, by=build.number)
    uow.session.add(placement)
    uow.session.flush()
    _keep(uow, placement)
    channel.version += 1
    if extent.plan is not None:
        plan_on(uow, placement, extent.plan)
    elif extent.share:
        grow(uow, placement, extent.share)
    uow.session.flush()
    return placement


def grow(uow: UnitOfWork, placement: PlacementRow, share: int) -> None:
    """Raises `Invalid` for a share that does not rise, `Conflict` where it is held or over."""
    must_grow(placement.share, share, placement.name)
    event = PlacementEvent.FINISH if share == ALL else PlacementEvent.GROW
    before, placement.share = placement.share, share
    change(uow, placement, event, share=percent(share), before=percent(before))
    wait = wait_for(placement.plan, share) if placement.plan else None
    placement.next_at = None if wait is None else uow.now + wait
    if share == ALL:
        for other in live_on(uow, placement.line):
            if other.id != placement.id:
                change(uow, other, PlacementEvent.SUPERSEDE, by=placement.build.number)


def plan_on(uow: UnitOfWork, placement: PlacementRow, plan: GrowthPlan) -> None:
    """From now on it grows by this plan; a first step that is due at once is taken."""
    placement.plan = plan
    wait = wait_for(plan, placement.share)
    placement.next_at = None if wait is None else uow.now + wait
    follow(uow, placement)


def follow(uow: UnitOfWork, placement: PlacementRow) -> bool:
    """Takes the plan's next step where it is due; whether it did."""
    step = due_step(uow, placement)
    if step is None:
        return False
    grow(uow, placement, step.share)
    return True


def due_step(uow: UnitOfWork, placement: PlacementRow) -> GrowthStep | None:
    step = next_step(placement.plan, placement.share) if placement.plan else None
    due = placement.next_at is not None and placement.next_at <= uow.now
    if step is None or not due or waits_for(placement.plan, placement.share, placement.verdict):
        return None
    return step


def change(uow: UnitOfWork, placement: PlacementRow, event: PlacementEvent, why: str = "", **detail: object) -> None:
    """By the table, kept for ever, and a new number for the channel's offers."""
    transition(uow, placement, event, channel=placement.channel.name, **detail, **({"why": why} if why else {}))
    if placement.state not in LIVE or placement.state == PlacementState.WHOLE:
        placement.next_at = None
    placement.channel.version += 1
    _keep(uow, placement, why)


def live_on(uow: UnitOfWork, line: LineRow) -> list[PlacementRow]:
    rows = select(PlacementRow).where(PlacementRow.line_id == line.id, PlacementRow.state.in_(LIVE))
    return list(uow.session.scalars(rows.order_by(PlacementRow.number)))


def _keep(uow: UnitOfWork, placement: PlacementRow, why: str = "") -> None:
    row = PlacementChangeRow(
        id=new_id(),
        placement_id=placement.id,
        at=uow.now,
        state=placement.state,
        share=placement.share,
        by=uow.actor.name,
        why=why,
    )
    uow.session.add(row)


def _line(uow: UnitOfWork, channel: ChannelRow, platform: str, storefront: str) -> LineRow:
    """Made when something is first placed there; the channel is locked."""
    rows = select(LineRow).where(LineRow.channel_id == channel.id, LineRow.platform == platform)
    line = uow.session.scalar(rows.where(LineRow.storefront == storefront))
    if line is None:
        line = LineRow(channel=channel, platform=platform, storefront=storefront, created_at=uow.now)
        uow.session.add(line)
        uow.session.flush()
    return line
