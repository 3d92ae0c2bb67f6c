"""Releases one after the other, as if each had been packed by some rules: what a fresh install and an update of it cost.

The plan is the device's own, over frames of which only the sizes are known. Differences are those that the service has: they
hold content, and rules of packing do not change them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from rampa.core import parallel
from rampa.core.ambient import Clock
from rampa.core.content.layout.order import order_of
from rampa.core.content.layout.trial import Bounds, try_ways
from rampa.core.content.layout.ways import Way
from rampa.core.content.pack.filters import Filter
from rampa.core.content.replay.frame_sizes import FrameSizes
from rampa.core.content.replay.release import Release, ReplayBounds, SideCost
from rampa.core.content.replay.side import ReplaySide


def replay(
    count: int,
    load: Callable[[int], Release],
    clock: Clock,
    sizes: FrameSizes,
    bounds: ReplayBounds = ReplayBounds(),
    on: Callable[[int, float], None] = lambda number, share: None,
    workers: int = parallel.WORKERS,
) -> Iterator[list[SideCost]]:
    """Of each release, oldest first, the costs of every side. `load` gives a release by its number, from 0; `sizes` of frames
    that are known already. `on` is told the release that is looked at, and the share of it that is done; what it raises ends the
    replay."""
    ways = _Ways(load(count - 1), clock, bounds) if bounds.players else None
    sides: list[ReplaySide] = []
    with parallel.pool(workers) as threads:
        for number in range(count):
            release = load(number)
            sides = sides or [ReplaySide(sizes, threads, ways.of if ways else None, bounds) for _ in release.rules]
            work = sum(side.work(release) for side in sides)
            told = _Told(number, work, on)
            yield [side.add(release, rules, told) for side, rules in zip(sides, release.rules, strict=True)]


class _Told:
    """Progress in a release, by raw bytes."""

    def __init__(self, number: int, work: int, on: Callable[[int, float], None]) -> None:
        self._number, self._work, self._on, self._done = number, max(1, work), on, 0

    def __call__(self, raw: int) -> None:
        self._done += raw
        self._on(self._number, min(1.0, self._done / self._work))


class _Ways:
    """How players' packs are made: tried on the newest release, as the service does, once for each bound of frames."""

    def __init__(self, newest: Release, clock: Clock, bounds: ReplayBounds) -> None:
        self._newest, self._clock, self._bounds = newest, clock, bounds
        self._found: dict[int, tuple[Way, frozenset[Filter]]] = {}

    def of(self, frame: int) -> tuple[Way, frozenset[Filter]]:
        if frame not in self._found:
            source, read = self._newest.source, self._newest.reader(self._newest.source)
            within = Bounds(frame=frame)
            trial = try_ways(source, order_of(source, read), read, self._bounds.audience, self._clock, within)
            self._found[frame] = trial.chosen.way, trial.used
        return self._found[frame]
