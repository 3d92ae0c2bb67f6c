"""Replays are asked for, stopped, and gone on with."""

from __future__ import annotations

from sqlalchemy import delete, func, select

from rampa.core.build.life import BuildState
from rampa.core.content.replay.life import UNDER_WAY, ReplayEvent, ReplayState
from rampa.core.errors import Conflict, NotFound
from rampa.db import BuildRow, ChannelRow, PlacementRow, ReplayRow, TitleRow, find_title, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must, transition
from rampa.operations.replays.rules import profile_under
from rampa.operations.replays.views import find_replay, shown
from rampa.schema import replays as wire

TASK = "replay"
KEPT = 30
"""Replays of a title; older ones that are over are forgotten when another is asked for."""


def ask(services: Services, actor: Actor, slug: str, asked: wire.ReplayIn) -> wire.ReplayOut:
    """Raises `Conflict` while another of the title is under way, `NotFound` where there is no such build, `Invalid` for rules
    that cannot be read."""
    must(actor, Act.PREPARE_UPDATE)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        _must_be_free(uow, title)
        builds = _builds(uow, title, asked)
        # Read now, so that what is wrong is said to the one who gave it.
        profile_under(uow, asked.rules, builds[-1])
        last = uow.session.scalar(select(func.max(ReplayRow.number)).where(ReplayRow.title_id == title.id)) or 0
        row = ReplayRow(
            title=title,
            number=last + 1,
            state=ReplayState.WAITING,
            asked=asked.model_copy(update={"profile": builds[-1].profile, "platform": builds[-1].platform}),
            builds=[b.number for b in builds],
            releases=[],
            measured=b"",
            total=sum(b.content.size for b in builds),
            done=0,
            note="",
            asked_by=actor.name,
            created_at=uow.now,
        )
        uow.session.add(row)
        uow.session.flush()
        _forget(uow, title, last + 1 - KEPT)
        audit.record(uow, "replay.make", row.name, slug, count=len(builds))
        _queue_up(uow, row)
        return shown(services, row)


def go_on(services: Services, actor: Actor, slug: str, number: int) -> wire.ReplayOut:
    """With one that was stopped or failed: frames that it measured are not measured again."""
    must(actor, Act.PREPARE_UPDATE)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        row = find_replay(uow, slug, number, lock=True)
        if row.state not in UNDER_WAY:
            _must_be_free(uow, title)
            transition(uow, row, ReplayEvent.ASK)
            row.note, row.done, row.releases, row.started_at, row.ended_at = "", 0, [], None, None
            _queue_up(uow, row)
        return shown(services, row)


def stop(services: Services, actor: Actor, slug: str, number: int) -> wire.ReplayOut:
    """Raises `Conflict` for one that is over."""
    must(actor, Act.PREPARE_UPDATE)
    with begin(services, actor) as uow:
        row = find_replay(uow, slug, number, lock=True)
        transition(uow, row, ReplayEvent.STOP)
        row.ended_at = uow.now
        queue.tell(uow.session, f"title/{slug}")
        return shown(services, row)


def _must_be_free(uow: UnitOfWork, title: TitleRow) -> None:
    under_way = select(ReplayRow.number).where(ReplayRow.title_id == title.id, ReplayRow.state.in_(UNDER_WAY))
    number = uow.session.scalar(under_way)
    if number is not None:
        hint = f"Wait for it, or stop it: rampa update replay stop {number}"
        raise Conflict("replay.under-way", f"replay {number} of {title.slug} is under way", hint=hint)


def _builds(uow: UnitOfWork, title: TitleRow, asked: wire.ReplayIn) -> list[BuildRow]:
    """The oldest first; all of one profile."""
    rows = select(BuildRow).where(BuildRow.title_id == title.id, BuildRow.state == BuildState.READY)
    rows = rows.order_by(BuildRow.number.desc())
    # A profile is of one platform: who names one need not name the other.
    rows = rows if asked.profile else rows.where(BuildRow.platform == asked.platform)
    where = "" if asked.profile else f" for {asked.platform}"
    if asked.channel:
        placed = select(PlacementRow.build_id).join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
        rows = rows.where(
            BuildRow.id.in_(placed.where(ChannelRow.title_id == title.id, ChannelRow.name == asked.channel))
        )
        where += f" that was on {asked.channel}"
    profile = asked.profile or uow.session.scalar(rows.with_only_columns(BuildRow.profile).limit(1))
    found = list(uow.session.scalars(rows.where(BuildRow.profile == profile).limit(asked.last)))
    if not found:
        of = f" of profile {asked.profile}" if asked.profile else ""
        raise NotFound("replay.none", f"{title.slug} has no ready build{of}{where}", where="builds")
    return found[::-1]


def _forget(uow: UnitOfWork, title: TitleRow, before: int) -> None:
    old = delete(ReplayRow).where(ReplayRow.title_id == title.id, ReplayRow.number <= before)
    uow.session.execute(old.where(ReplayRow.state.not_in(UNDER_WAY)))


def _queue_up(uow: UnitOfWork, row: ReplayRow) -> None:
    queue.put(uow.session, TASK, queue.CONTENT, replay=str(row.id))
