"""A replay, carried out in the background: release by release, each recorded when it is done."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.content.depots.choice import EVERYTHING
from rampa.core.content.replay.frame_sizes import FrameSizes
from rampa.core.content.replay.life import UNDER_WAY, ReplayEvent, ReplayState
from rampa.core.content.replay.release import Release, ReplayBounds, SideCost
from rampa.core.content.replay.replay import replay
from rampa.core.content.replay.rules import ReplayRules, rules_of
from rampa.core.content.replay.source import source_tree
from rampa.core.errors import NotFound, RampaError
from rampa.db import BuildRow, ReplayRow, queue
from rampa.operations.base import Services, UnitOfWork, begin, service_actor, transition
from rampa.operations.content.chains import differences_along, way_between
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.operations.content.stored_trees import build_tree, depot_trees
from rampa.operations.layout.players import audience_of, choices_of
from rampa.operations.replays.rules import own_profile, profile_under
from rampa.operations.updates.costs import update_costs
from rampa.operations.updates.depots import choice_of
from rampa.schema import replays as wire
from rampa.system import CLOCK

WORKER = "the worker"
AT_ONCE = 1.0
"""Seconds between two times that the progress is written down."""


class _Stopped(Exception):
    """Somebody stopped it."""


def carry_out(services: Services, replay_id: str) -> None:
    """For the queue. What goes wrong is said with the replay, which can be gone on with."""
    key = uuid.UUID(replay_id)
    asked = _begin(services, key)
    if asked is None:
        return
    sizes = FrameSizes(asked.measured)
    try:
        _replay(services, key, asked, sizes)
    except _Stopped:
        _keep(services, key, sizes)
    except Exception as error:
        _keep(services, key, sizes)
        if isinstance(error, RampaError):
            _fail(services, key, error.sentence())
            return
        name = type(error).__name__
        _fail(services, key, f"the worker met an error that it does not know ({name}); its log has more")
        raise


@dataclass(frozen=True)
class _Asked:
    what: wire.ReplayIn
    numbers: Sequence[int]
    builds: Sequence[BuildRow]
    measured: bytes


def _begin(services: Services, key: uuid.UUID) -> _Asked | None:
    with begin(services, service_actor(WORKER)) as uow:
        row = uow.session.get(ReplayRow, key, with_for_update=True)
        if row is None or row.state not in UNDER_WAY:
            return None
        if row.state == ReplayState.WAITING:
            transition(uow, row, ReplayEvent.BEGIN)
        # One whose worker was killed begins with the first release again, and finds its frames measured.
        row.started_at, row.done, row.releases = uow.now, 0, []
        rows = select(BuildRow).where(BuildRow.title_id == row.title_id, BuildRow.number.in_(row.builds))
        rows = rows.where(BuildRow.state == BuildState.READY)
        return _Asked(row.asked, row.builds, list(uow.session.scalars(rows.order_by(BuildRow.number))), row.measured)


def _replay(services: Services, key: uuid.UUID, asked: _Asked, sizes: FrameSizes) -> None:
    builds = asked.builds
    gone = sorted({*asked.numbers} - {b.number for b in builds})
    if gone:
        raise NotFound("replay.none", f"build {', '.join(map(str, gone))} is not ready any more: its content is gone")
    with begin(services) as uow:
        audience, _ = audience_of(uow, builds[-1])
        sides = [_rules(uow, asked, build) for build in builds]
    choice = choice_of(asked.what)
    bounds = ReplayBounds(audience, choice, asked.what.players, services.layout.price)
    progress = _Progress(services, key, [b.content.size for b in builds])

    def load(number: int) -> Release:
        return _release(services, builds, sides, number)

    for number, costs in enumerate(replay(len(builds), load, CLOCK, sizes, bounds, progress.on)):
        today = _today(services, builds, number) if choice == EVERYTHING else []
        progress.done(number, _row(builds[number], costs, today), sizes)


def _rules(uow: UnitOfWork, asked: _Asked, build: BuildRow) -> tuple[ReplayRules, ReplayRules]:
    most = uow.services.layout.frame
    return rules_of(own_profile(uow, build), most), rules_of(profile_under(uow, asked.what.rules, build), most)


def _release(
    services: Services, builds: Sequence[BuildRow], sides: Sequence[tuple[ReplayRules, ReplayRules]], number: int
) -> Release:
    build, rules = builds[number], sides[number]
    before = builds[number - 1] if number else None
    with begin(services) as uow:
        choices = [frozenset(depots) for depots in choices_of(uow, build)]
        way = way_between(uow, build, before) if before else None
    return Release(
        source_tree(depot_trees(services, build), rules[0].depots),
        rules,
        lambda tree: StoredFileBytes(services, tree).read,
        differences_along(services, way) if way else (),
        build_tree(services, before) if before else build_tree(services, build),
        choices,
        len(build.content.statement or b""),
        build.number,
    )


def _today(services: Services, builds: Sequence[BuildRow], number: int) -> list[int]:
    """What it costs as the store lies: fresh, and from the release before."""
    starts = [None, builds[number - 1]] if number else [None]
    return [cost.download for cost in update_costs(services, [(builds[number], start) for start in starts])]


def _row(build: BuildRow, costs: list[SideCost], today: list[int]) -> wire.ReplayedRelease:
    own, ruled = map(_cost, costs)
    return wire.ReplayedRelease(
        build=build.number,
        name=build.name,
        version_name=build.version_name,
        size=build.content.size,
        own=own,
        ruled=ruled,
        now_fresh=today[0] if today else None,
        now_update=today[1] if today[1:] else None,
    )


def _cost(side: SideCost) -> wire.ReplayedCost:
    return wire.ReplayedCost(
        fresh=side.fresh.download,
        fresh_requests=side.fresh.requests,
        update=side.update.download if side.update else None,
        update_requests=side.update.requests if side.update else None,
        packed=side.packed,
        players=side.players,
        undelivered=side.undelivered,
    )


@dataclass
class _Progress:
    services: Services
    key: uuid.UUID
    sizes: list[int]
    told: float = field(default=0.0)

    def on(self, number: int, share: float) -> None:
        if CLOCK.seconds() - self.told < AT_ONCE:
            return
        self.told = CLOCK.seconds()
        self._write(sum(self.sizes[:number]) + int(self.sizes[number] * share))

    def done(self, number: int, release: wire.ReplayedRelease, sizes: FrameSizes) -> None:
        self._write(sum(self.sizes[: number + 1]), release, sizes.joined(), last=number + 1 == len(self.sizes))

    def _write(
        self, done: int, release: wire.ReplayedRelease | None = None, measured: bytes = b"", *, last: bool = False
    ) -> None:
        with begin(self.services, service_actor(WORKER)) as uow:
            row = uow.session.get(ReplayRow, self.key, with_for_update=True)
            if row is None or row.state != ReplayState.RUNNING:
                raise _Stopped
            row.done = done
            if release is not None:
                row.releases, row.measured = [*row.releases, release], measured
                queue.tell(uow.session, f"title/{row.title.slug}")
            if last:
                transition(uow, row, ReplayEvent.FINISH)
                row.measured, row.ended_at = b"", uow.now


def _keep(services: Services, key: uuid.UUID, sizes: FrameSizes) -> None:
    with begin(services) as uow:
        row = uow.session.get(ReplayRow, key, with_for_update=True)
        if row is not None:
            row.measured = sizes.joined()


def _fail(services: Services, key: uuid.UUID, why: str) -> None:
    with begin(services, service_actor(WORKER)) as uow:
        row = uow.session.get(ReplayRow, key, with_for_update=True)
        if row is not None and row.state == ReplayState.RUNNING:
            transition(uow, row, ReplayEvent.FAIL, why=why[:400])
            row.note, row.ended_at = why[:400], uow.now
