"""The differences that lead from one build to another: made for the two, or those of the updates between in a chain."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from sqlalchemy import select

from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.chain import UpdateStep, chained, route
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.life import DifferenceState
from rampa.db import BuildRow, DifferenceSetRow
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.content.visibility import for_everybody


@dataclass(frozen=True)
class StepSet:
    """A set of differences that is ready; `size` in bytes."""

    old_id: uuid.UUID
    new_id: uuid.UUID
    pack: bytes
    size: int


@dataclass(frozen=True)
class Way:
    """Sets, each of which starts where the one before ends."""

    sets: tuple[StepSet, ...]

    @property
    def packs(self) -> tuple[bytes, ...]:
        """What it is made of: another one gives other differences."""
        return tuple(step.pack for step in self.sets)


NO_WAY = Way(())


@dataclass(frozen=True)
class StepGraph:
    """All sets of a title's builds for a platform, by (old, new), and which of the builds everybody may read."""

    sets: Mapping[tuple[uuid.UUID, uuid.UUID], StepSet]
    open_: frozenset[uuid.UUID]

    @classmethod
    def load(cls, uow: UnitOfWork, title: uuid.UUID, platform: str) -> StepGraph:
        row = DifferenceSetRow
        # Not what the sets hold: there can be many, and a way needs few of them.
        rows = select(row.old_id, row.new_id, row.pack, row.size).join(BuildRow, BuildRow.id == row.new_id)
        rows = rows.where(BuildRow.title_id == title, BuildRow.platform == platform)
        rows = rows.where(row.state == DifferenceState.READY, row.pack.is_not(None))
        sets = {(old, new): StepSet(old, new, pack, size) for old, new, pack, size in uow.session.execute(rows) if pack}
        return cls(sets, frozenset(for_everybody(uow, {s.new_id for s in sets.values()}) if sets else ()))

    def ways_to(self, new: uuid.UUID, old: Iterable[uuid.UUID] | None = None) -> dict[uuid.UUID, Way]:
        """From each of these builds, or from every one that there is a way from; the ones of the fewest bytes. Only by way of
        builds that everybody may read: a step's differences hold pieces of the build that they lead to."""
        sizes = {pair: s.size for pair, s in self.sets.items() if pair[1] == new or pair[1] in self.open_}
        starts = {pair[0] for pair in sizes} if old is None else set(old)
        ways = {start: Way(tuple(self.sets[pair] for pair in route(sizes, start, new))) for start in starts}
        return {start: way for start, way in ways.items() if way.sets}


def way_between(uow: UnitOfWork, new: BuildRow, old: BuildRow) -> Way:
    """Empty where there is none."""
    return ways_to(uow, new, [old.id]).get(old.id, NO_WAY)


def ways_to(uow: UnitOfWork, new: BuildRow, old: Iterable[uuid.UUID] | None = None) -> dict[uuid.UUID, Way]:
    return StepGraph.load(uow, new.title_id, new.platform).ways_to(new.id, old)


def differences_along(services: Services, way: Way) -> tuple[DifferencePlace, ...]:
    """Against the first one's old build, whole."""
    steps = []
    for step in way.sets:
        with begin(services) as uow:
            old, new = (uow.session.get_one(BuildRow, k) for k in (step.old_id, step.new_id))
            row = uow.session.get(DifferenceSetRow, (step.new_id, step.old_id))
        if row is None or row.pack != step.pack:
            return ()  # made anew, or collected, a moment ago
        trees = build_tree(services, old), build_tree(services, new)
        made = locations_format.decode(row.rows, trees[1], trees[0]).differences
        steps.append(UpdateStep(*trees, made))
    if len(steps) == 1:
        return steps[0].differences
    return chained(steps) if steps else ()
