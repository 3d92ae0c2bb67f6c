"""Packs for players are asked for when a build is placed for many, or by hand; and stopped."""

from __future__ import annotations

from sqlalchemy import delete, func, select

from rampa.core.content.layout.life import NEVER_ASKED, TO_MAKE, UNDER_WAY, LayoutEvent, LayoutState
from rampa.core.errors import NotFound, Refused
from rampa.core.placement.channels import Audience
from rampa.db import BuildRow, ChannelRow, DeviceRow, LayoutPackRow, LayoutRow, queue, store_state
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must, transition
from rampa.operations.content.stored_trees import find_ready

TASK = "lay_out"
BY_ITSELF = "placing it"


def ask_for(uow: UnitOfWork, build: BuildRow, channel: ChannelRow) -> None:
    """With the transaction that places it."""
    if standing(uow, build, channel) == TO_MAKE:
        _put(uow, build, BY_ITSELF)


def standing(uow: UnitOfWork, build: BuildRow, channel: ChannelRow) -> str:
    """The layout's state; without one, whether placing it there asks for one: where the channel is for everybody, or for more
    devices than the bound."""
    row = uow.session.get(LayoutRow, build.id)
    if row is not None:
        return row.state
    rules = uow.services.layout
    # A small build is one frame or two anyhow: what could be saved is less than the papers that travel.
    if not rules.seconds or build.content.size < rules.least:
        return NEVER_ASKED
    devices = select(func.count()).where(DeviceRow.channel_id == channel.id, DeviceRow.platform == build.platform)
    many = channel.audience == Audience.FOR_EVERYBODY or (uow.session.scalar(devices) or 0) > rules.devices
    return TO_MAKE if many else NEVER_ASKED


def make_now(services: Services, actor: Actor, slug: str, number: int) -> None:
    """By hand: made again, even where they were made before; devices take small frames meanwhile. Raises `Refused`."""
    must(actor, Act.PREPARE_UPDATE)
    if not services.layout.seconds:
        hint = "Give them some: RAMPA_PLAYER_PACK_SECONDS."
        raise Refused("layout.off", "this service may take no time to make packs for players", hint=hint)
    build = find_ready(services, slug, number)
    with begin(services, actor) as uow:
        row = uow.session.get(LayoutRow, build.id, with_for_update=True)
        if row is not None and row.state in UNDER_WAY:
            return
        if row is None:
            _put(uow, uow.session.get_one(BuildRow, build.id), actor.name)
            audit.record(uow, "layout.make", build.name, slug)
        else:
            _again(uow, row, actor.name)


def stop(services: Services, actor: Actor, slug: str, number: int) -> None:
    """What was made so far is kept until the next collection, and used again when they are asked for before it.

    Raises `NotFound` where none are being made.
    """
    must(actor, Act.PREPARE_UPDATE)
    build = find_ready(services, slug, number)
    with begin(services, actor) as uow:
        row = uow.session.get(LayoutRow, build.id, with_for_update=True)
        if row is None or row.state not in UNDER_WAY:
            raise NotFound("layout.none", f"no packs for players of {build.name} are being made")
        transition(uow, row, LayoutEvent.STOP)
        row.ended_at = uow.now


def _put(uow: UnitOfWork, build: BuildRow, name: str) -> None:
    row = LayoutRow(build_id=build.id, state=LayoutState.WAITING, asked_by=name, created_at=uow.now)
    uow.session.add(row)
    uow.session.flush()
    queue_up(uow, row)


def _again(uow: UnitOfWork, row: LayoutRow, name: str) -> None:
    # What was stopped goes on where it was; what is there is measured and made anew.
    if row.state != LayoutState.STOPPED:
        row.choice, row.done, row.size = None, 0, 0
        uow.session.execute(delete(LayoutPackRow).where(LayoutPackRow.build_id == row.build_id))
        store_state(uow.session, lock=True).epoch += 1
    transition(uow, row, LayoutEvent.ASK)
    row.note, row.asked_by, row.started_at, row.ended_at = "", name, None, None
    queue_up(uow, row)


def queue_up(uow: UnitOfWork, row: LayoutRow) -> None:
    queue.put(uow.session, TASK, queue.CONTENT, build=str(row.build_id))
