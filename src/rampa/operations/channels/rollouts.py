"""Rollouts: growing a placement by hand or by its plan, holding it, going on, withdrawing it.

Whatever changes a line holds its channel's lock: two acts at once come one after the other, and the second sees the first.
"""

from __future__ import annotations

import uuid

from sqlalchemy import select

from rampa.core.errors import Conflict, NotFound
from rampa.core.placement.life import PlacementEvent, PlacementState
from rampa.core.placement.plan import plan_text, read_plan
from rampa.core.placement.share import share_of
from rampa.db import ChannelRow, PlacementRow, find_channel, locked, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must, service_actor
from rampa.operations.channels import lines
from rampa.operations.channels.placements import get_placement
from rampa.schema import channels as wire

PLAN = "the plan"
"""Who grows a rollout by its plan."""


def grow(services: Services, actor: Actor, slug: str, name: str, number: int, share: float) -> wire.Rollout:
    """To a larger share. Raises `Invalid` for one that does not rise, `Conflict` where it is held or over."""
    must(actor, Act.ROLL_OUT)
    with begin(services, actor) as uow:
        placement = _found(uow, slug, name, number)
        lines.grow(uow, placement, share_of(share))
    return get_placement(services, actor, slug, name, number)


def plan(services: Services, actor: Actor, slug: str, name: str, number: int, text: str) -> wire.Rollout:
    """It grows by this plan from now on, in place of the one that it had; an empty one ends that."""
    must(actor, Act.ROLL_OUT)
    read = read_plan(text) if text.strip() else None
    with begin(services, actor) as uow:
        placement = _found(uow, slug, name, number)
        if placement.state not in (PlacementState.PLACED, PlacementState.GROWING):
            hint = "Let it go on first." if placement.state == PlacementState.HELD else ""
            raise Conflict("rollout.state", f"{placement.name} is {placement.state}: no plan grows it", hint=hint)
        said = plan_text(read) if read else "none"
        audit.record(uow, "placement.plan", placement.name, slug, channel=placement.channel.name, plan=said)
        if read is None:
            placement.plan = placement.next_at = None
        else:
            lines.plan_on(uow, placement, read)
    return get_placement(services, actor, slug, name, number)


def hold(services: Services, actor: Actor, slug: str, name: str, number: int, why: str) -> wire.Rollout:
    """Who has it keeps it; nobody else gets it until it goes on."""
    must(actor, Act.ROLL_OUT)
    with begin(services, actor) as uow:
        placement = _found(uow, slug, name, number)
        hold_in(uow, placement, " ".join(why.split()))
    return get_placement(services, actor, slug, name, number)


def hold_in(uow: UnitOfWork, placement: PlacementRow, why: str) -> None:
    """The same in the caller's transaction, which holds the channel's lock."""
    placement.held_at, placement.held_why = uow.now, why
    lines.change(uow, placement, PlacementEvent.HOLD, why)


def go_on(services: Services, actor: Actor, slug: str, name: str, number: int) -> wire.Rollout:
    """As far as it was; its plan's next step is as far off as it was when it was held."""
    must(actor, Act.ROLL_OUT)
    with begin(services, actor) as uow:
        placement = _found(uow, slug, name, number)
        lines.change(uow, placement, PlacementEvent.GO_ON)
        if placement.next_at is not None and placement.held_at is not None:
            placement.next_at += uow.now - placement.held_at
        placement.held_at, placement.held_why = None, ""
    return get_placement(services, actor, slug, name, number)


def withdraw(services: Services, actor: Actor, slug: str, name: str, number: int) -> wire.Rollout:
    """Takes a live placement off its channel: devices keep what they have and are offered nothing of it any more."""
    must(actor, Act.WITHDRAW)
    with begin(services, actor) as uow:
        placement = _found(uow, slug, name, number)
        lines.change(uow, placement, PlacementEvent.WITHDRAW)
        queue.put(uow.session, "lower_content", queue.CONTENT, lock="visibility")
    return get_placement(services, actor, slug, name, number)


def grow_due(services: Services) -> int:
    """Takes the steps of plans that are due, each in a transaction of its own; how many were taken."""
    with begin(services) as uow:
        due = select(PlacementRow.id, PlacementRow.channel_id).where(
            PlacementRow.next_at <= uow.now, PlacementRow.state.in_((PlacementState.PLACED, PlacementState.GROWING))
        )
        found = list(uow.session.execute(due.order_by(PlacementRow.next_at)))
    return sum(_grow_one(services, placement, channel) for placement, channel in found)


def _grow_one(services: Services, ident: uuid.UUID, channel: uuid.UUID) -> bool:
    with begin(services, service_actor(PLAN)) as uow:
        # Somebody places, holds or grows there at this moment: the step comes with the next look.
        if not locked(uow.session, select(ChannelRow).where(ChannelRow.id == channel), skip=True):
            return False
        placement = next(iter(locked(uow.session, select(PlacementRow).where(PlacementRow.id == ident))), None)
        growing = (PlacementState.PLACED, PlacementState.GROWING)
        return placement is not None and placement.state in growing and lines.follow(uow, placement)


def _found(uow: UnitOfWork, slug: str, name: str, number: int) -> PlacementRow:
    channel = find_channel(uow.session, slug, name, lock=True)
    rows = select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.number == number)
    placement = next(iter(locked(uow.session, rows)), None)
    if placement is None:
        raise NotFound("placement.unknown", f"{name} has no placement {number}", hint="rampa channel show lists them.")
    return placement
