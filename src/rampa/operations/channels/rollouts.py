"""Rollouts: growing placements of a channel by hand or by a plan, holding them, going on, withdrawing them: all or none.

Whatever changes a line holds its channel's lock: two acts at once come one after the other, and the second sees the first.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Sequence

from sqlalchemy import select

from rampa.core.errors import Conflict, NotFound, RampaError
from rampa.core.placement.life import PlacementEvent, PlacementState
from rampa.core.placement.plan import GrowthPlan, plan_text, read_plan, wait_for
from rampa.core.placement.share import share_of
from rampa.db import ChannelRow, PlacementRow, find_channel, locked, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must, service_actor
from rampa.operations.channels import lines
from rampa.operations.channels.placements import get_placement
from rampa.operations.channels.shown import must_be_able, pass_on, submissions_of
from rampa.schema import rollouts as wire

AGAIN = dt.timedelta(minutes=1)
PLAN = "the plan"
"""Who grows a rollout by its plan."""


def grow(
    services: Services, actor: Actor, slug: str, name: str, numbers: Sequence[int], share: float
) -> list[wire.Rollout]:
    """To a larger share. Raises `Invalid` for one that does not rise, `Conflict` where it is held or over."""
    must(actor, Act.ROLL_OUT)
    ours = _passed_on(services, actor, slug, name, numbers, "share", share)
    with begin(services, actor) as uow:
        for placement in _found(uow, slug, name, ours):
            lines.grow(uow, placement, share_of(share))
    return _seen(services, actor, slug, name, numbers)


def plan(
    services: Services, actor: Actor, slug: str, name: str, numbers: Sequence[int], text: str
) -> list[wire.Rollout]:
    """They grow by this plan from now on, in place of the one that they had; an empty one ends that."""
    must(actor, Act.ROLL_OUT)
    read = read_plan(text) if text.strip() else None
    with begin(services, actor) as uow:
        for placement in _found(uow, slug, name, numbers):
            _plan(uow, placement, read)
    return _seen(services, actor, slug, name, numbers)


def _plan(uow: UnitOfWork, placement: PlacementRow, read: GrowthPlan | None) -> None:
    if placement.state not in (PlacementState.PLACED, PlacementState.GROWING):
        hint = "Let it go on first." if placement.state == PlacementState.HELD else ""
        raise Conflict("rollout.state", f"{placement.name} is {placement.state}: no plan grows it", hint=hint)
    said, channel = plan_text(read) if read else "none", placement.channel.name
    audit.record(uow, "placement.plan", placement.name, placement.title_slug, channel=channel, plan=said)
    if read is None:
        placement.plan = placement.next_at = None
    elif placement.submission_id is not None:
        # A storefront grows it: the step is passed on when it is due.
        must_be_able(uow, placement.line.storefront, "share")
        placement.plan, placement.next_at = read, uow.now + (wait_for(read, placement.share) or dt.timedelta())
    else:
        lines.plan_on(uow, placement, read)


def hold(
    services: Services, actor: Actor, slug: str, name: str, numbers: Sequence[int], why: str
) -> list[wire.Rollout]:
    """Who has it keeps it; nobody else gets it until it goes on."""
    must(actor, Act.ROLL_OUT)
    said = " ".join(why.split())
    ours = _passed_on(services, actor, slug, name, numbers, "hold", why=said)
    with begin(services, actor) as uow:
        for placement in _found(uow, slug, name, ours):
            hold_in(uow, placement, said)
    return _seen(services, actor, slug, name, numbers)


def hold_in(uow: UnitOfWork, placement: PlacementRow, why: str) -> None:
    """The same in the caller's transaction, which holds the channel's lock."""
    placement.held_at, placement.held_why = uow.now, why
    lines.change(uow, placement, PlacementEvent.HOLD, why)


def go_on(services: Services, actor: Actor, slug: str, name: str, numbers: Sequence[int]) -> list[wire.Rollout]:
    """As far as it was; its plan's next step is as far off as it was when it was held."""
    must(actor, Act.ROLL_OUT)
    ours = _passed_on(services, actor, slug, name, numbers, "go-on")
    with begin(services, actor) as uow:
        for placement in _found(uow, slug, name, ours):
            lines.change(uow, placement, PlacementEvent.GO_ON)
            if placement.next_at is not None and placement.held_at is not None:
                placement.next_at += uow.now - placement.held_at
            placement.held_at, placement.held_why = None, ""
    return _seen(services, actor, slug, name, numbers)


def withdraw(services: Services, actor: Actor, slug: str, name: str, numbers: Sequence[int]) -> list[wire.Rollout]:
    """Takes live placements off their channel: devices keep what they have and are offered nothing of it any more."""
    must(actor, Act.WITHDRAW)
    ours = _passed_on(services, actor, slug, name, numbers, "withdraw")
    with begin(services, actor) as uow:
        for placement in _found(uow, slug, name, ours):
            lines.change(uow, placement, PlacementEvent.WITHDRAW)
        queue.put(uow.session, "lower_content", queue.CONTENT, lock="visibility")
    return _seen(services, actor, slug, name, numbers)


def _passed_on(
    services: Services,
    actor: Actor,
    slug: str,
    name: str,
    numbers: Sequence[int],
    act: str,
    share: float | None = None,
    why: str = "",
) -> list[int]:
    """Those that a storefront delivers are its to change; answers the others."""
    with begin(services, actor) as uow:
        theirs = submissions_of(uow, find_channel(uow.session, slug, name), numbers)
    pass_on(services, actor, list(theirs.values()), act, share, why)
    return [number for number in numbers if number not in theirs]


def _seen(services: Services, actor: Actor, slug: str, name: str, numbers: Sequence[int]) -> list[wire.Rollout]:
    return [get_placement(services, actor, slug, name, number) for number in numbers]


def grow_due(services: Services) -> int:
    """Takes the steps of plans that are due, each in a transaction of its own; how many were taken."""
    with begin(services) as uow:
        due = select(PlacementRow.id, PlacementRow.channel_id).where(
            PlacementRow.next_at <= uow.now, PlacementRow.state.in_((PlacementState.PLACED, PlacementState.GROWING))
        )
        found = list(uow.session.execute(due.order_by(PlacementRow.next_at)))
    return sum(_grow_one(services, placement, channel) for placement, channel in found)


def _grow_one(services: Services, ident: uuid.UUID, channel: uuid.UUID) -> bool:
    with begin(services) as uow:
        grows = uow.session.get_one(PlacementRow, ident)
        theirs = grows.submission_id
        step = lines.due_step(uow, grows) if theirs else None
    if theirs is not None:
        return step is not None and _pass_step_on(services, ident, theirs, step.share)
    with begin(services, service_actor(PLAN)) as uow:
        # Somebody places, holds or grows there at this moment: the step comes with the next look.
        if not locked(uow.session, select(ChannelRow).where(ChannelRow.id == channel), skip=True):
            return False
        placement = next(iter(locked(uow.session, select(PlacementRow).where(PlacementRow.id == ident))), None)
        growing = (PlacementState.PLACED, PlacementState.GROWING)
        return placement is not None and placement.state in growing and lines.follow(uow, placement)


def _pass_step_on(services: Services, ident: uuid.UUID, submission: uuid.UUID, share: int) -> bool:
    """A storefront that does not answer, or says no, is asked again in a minute."""
    try:
        pass_on(services, service_actor(PLAN), [submission], "share", share / 10)
    except RampaError:
        with begin(services) as uow:
            placement = uow.session.get_one(PlacementRow, ident, with_for_update={"of": PlacementRow})
            placement.next_at = uow.now + AGAIN if placement.next_at else None
        return False
    return True


def _found(uow: UnitOfWork, slug: str, name: str, numbers: Sequence[int]) -> list[PlacementRow]:
    channel = find_channel(uow.session, slug, name, lock=True)
    rows = select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.number.in_(numbers))
    found = locked(uow.session, rows.order_by(PlacementRow.number))
    unknown = set(numbers) - {p.number for p in found}
    if unknown:
        hint = "rampa channel show lists them."
        raise NotFound("placement.unknown", f"{name} has no placement {min(unknown)}", hint=hint)
    return found
