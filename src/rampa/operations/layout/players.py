"""Whom packs are made for: what the title's devices say of their lines, and of the depots that they chose."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter, defaultdict
from statistics import median

from sqlalchemy import select

from rampa.core import parallel
from rampa.core.content.layout.audience import Audience, PlayerClass
from rampa.core.content.layout.processor import unpacks
from rampa.db import BuildRow, DeviceRow
from rampa.operations.base import UnitOfWork
from rampa.system import CLOCK

ENOUGH = 20
"""Devices from which on their word counts more than the stated audience."""
MOST_DEVICES = 20_000
"""The ones that were seen last."""
MOST_CHOICES = 16
"""The commonest ones: each more splits content into more frames."""
BOUNDS = (2, 5, 10, 20, 50, 100, 200, 500, 1000)
"""Mbit/s between the classes."""
LEAST_SPEED = 0.01
SPEEDS = (0.3, 1, 3)
"""How many times as fast as this machine, between the classes."""


def audience_of(uow: UnitOfWork, build: BuildRow) -> tuple[Audience, int]:
    """The audience, and how many devices said so; 0 for the stated one."""
    said = uow.session.execute(_devices(build, DeviceRow.rate, DeviceRow.unpacks).where(DeviceRow.rate > 0)).all()
    if len(said) < ENOUGH:
        return uow.services.layout.audience, 0
    here = unpacks(CLOCK, parallel.WORKERS) if any(speed for _, speed in said) else 0.0
    pairs = [(rate, speed / here if speed else 1.0) for rate, speed in said]
    classes: dict[tuple[int, int], list[tuple[float, float]]] = defaultdict(list)
    for rate, speed in pairs:
        classes[bisect_right(BOUNDS, rate), bisect_right(SPEEDS, speed)].append((rate, speed))
    return Audience(tuple(_middle(held) for _, held in sorted(classes.items()))), len(said)


def _middle(held: list[tuple[float, float]]) -> PlayerClass:
    speed = median(speed for _, speed in held)
    return PlayerClass(round(median(rate for rate, _ in held), 1), len(held), max(LEAST_SPEED, float(f"{speed:.2g}")))


def choices_of(uow: UnitOfWork, build: BuildRow) -> list[list[str]]:
    """The sets of this build's depots that devices have, the commonest first; none where too few have said so."""
    there = {d.name for d in build.depots}
    said = list(uow.session.scalars(_devices(build, DeviceRow.depots)))
    chosen = Counter(tuple(sorted(there & set(depots))) for depots in said if depots)
    if sum(chosen.values()) < ENOUGH:
        return []
    return [list(depots) for depots, _ in chosen.most_common(MOST_CHOICES)]


def _devices(build: BuildRow, *columns):  # type: ignore[no-untyped-def]
    """Of the title's devices on this platform; simulated ones stand beside the service, and have no line."""
    rows = select(*columns).where(DeviceRow.title_id == build.title_id, DeviceRow.platform == build.platform)
    return rows.where(DeviceRow.simulated.is_(False)).order_by(DeviceRow.last_seen_at.desc()).limit(MOST_DEVICES)
