"""Whom packs are made for: what the title's devices say of their lines, and of the depots that they chose."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter, defaultdict
from statistics import median

from sqlalchemy import select

from rampa.core.content.layout.audience import Audience, PlayerClass
from rampa.db import BuildRow, DeviceRow
from rampa.operations.base import UnitOfWork

ENOUGH = 20
"""Devices from which on their word counts more than the stated audience."""
MOST_DEVICES = 20_000
"""The ones that were seen last."""
MOST_CHOICES = 16
"""The commonest ones: each more splits content into more frames."""
BOUNDS = (2, 5, 10, 20, 50, 100, 200, 500, 1000)
"""Mbit/s between the classes."""


def audience_of(uow: UnitOfWork, build: BuildRow) -> tuple[Audience, int]:
    """The audience, and how many devices said so; 0 for the stated one."""
    rates = list(uow.session.scalars(_devices(build, DeviceRow.rate).where(DeviceRow.rate > 0)))
    if len(rates) < ENOUGH:
        return uow.services.layout.audience, 0
    classes: dict[int, list[float]] = defaultdict(list)
    for rate in rates:
        classes[bisect_right(BOUNDS, rate)].append(rate)
    found = (PlayerClass(round(median(held), 1), len(held)) for _, held in sorted(classes.items()))
    return Audience(tuple(found)), len(rates)


def choices_of(uow: UnitOfWork, build: BuildRow) -> list[list[str]]:
    """The sets of this build's depots that devices have, the commonest first; none where too few have said so."""
    there = {d.name for d in build.depots}
    said = list(uow.session.scalars(_devices(build, DeviceRow.depots)))
    chosen = Counter(tuple(sorted(there & set(depots))) for depots in said if depots)
    if sum(chosen.values()) < ENOUGH:
        return []
    return [list(depots) for depots, _ in chosen.most_common(MOST_CHOICES)]


def _devices(build: BuildRow, column):  # type: ignore[no-untyped-def]
    """Of the title's devices on this platform; simulated ones stand beside the service, and have no line."""
    rows = select(column).where(DeviceRow.title_id == build.title_id, DeviceRow.platform == build.platform)
    return rows.where(DeviceRow.simulated.is_(False)).order_by(DeviceRow.last_seen_at.desc()).limit(MOST_DEVICES)
