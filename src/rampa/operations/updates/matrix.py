"""The update cost matrix: builds by builds, exact, weighted by the devices that have them."""

from __future__ import annotations

from sqlalchemy import func, select

from rampa.core.build.life import BuildState
from rampa.core.content.pack.trials import RATES
from rampa.core.errors import Invalid
from rampa.db import BuildRow, DeviceRow, find_title, live_channels
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.updates.costs import Pair, update_costs
from rampa.schema import updates as wire
from rampa.schema.channels import CostOut

MOST = 16
NEWEST = 5


def matrix(services: Services, slug: str, query: wire.MatrixQuery) -> wire.UpdateMatrix:
    """Only rising version codes: no device goes back by an update."""
    with begin(services) as uow:
        builds = _builds(uow, slug, query)
        devices = _devices(uow, builds)
        live = live_channels(uow.session, builds)
    pairs: list[Pair] = []
    for new in builds:
        pairs += [(new, None), *((new, old) for old in builds if old.version_code < new.version_code)]
    costs = update_costs(services, pairs)
    return wire.UpdateMatrix(
        platform=query.platform,
        builds=[
            wire.MatrixBuild(
                number=b.number,
                name=b.name,
                version_name=b.version_name,
                version_code=b.version_code,
                profile=b.profile,
                live_on=live.get(b.number, []),
                devices=devices.get(b.number, 0),
                size=b.content.size,
            )
            for b in builds
        ],
        cells=[
            _cell(new, old, cost, devices.get(old.number, 0) if old else 0)
            for (new, old), cost in zip(pairs, costs, strict=True)
        ],
    )


def _cell(new: BuildRow, old: BuildRow | None, cost: CostOut, devices: int) -> wire.MatrixCell:
    return wire.MatrixCell(
        old=old.number if old else 0,
        new=new.number,
        download=cost.download,
        plain=cost.plain,
        written=cost.written,
        peak_disk=cost.peak_disk,
        seconds={rate: round(cost.download * 8 / (rate * 1e6), 2) for rate in RATES},
        weighted=cost.download * devices,
        making=list(cost.making),
        expected=cost.expected,
    )


def _builds(uow: UnitOfWork, slug: str, query: wire.MatrixQuery) -> list[BuildRow]:
    title = find_title(uow.session, slug)
    rows = select(BuildRow).where(
        BuildRow.title_id == title.id, BuildRow.platform == query.platform, BuildRow.state == BuildState.READY
    )
    asked = {int(n) for n in query.builds.split(",") if n}
    if len(asked) > MOST:
        raise Invalid(
            "matrix.wide", f"a matrix has at most {MOST} builds, and {len(asked)} were asked for", where="builds"
        )
    every = list(uow.session.scalars(rows.order_by(BuildRow.number.desc()).limit(2000)))
    if asked:
        found = [b for b in every if b.number in asked]
        unknown = asked - {b.number for b in found}
        if unknown:
            raise Invalid(
                "matrix.builds",
                f"{', '.join(f'{slug}#{n}' for n in sorted(unknown))}: no ready build for {query.platform}",
                where="builds",
            )
    else:
        # Nobody asked for any: those that somebody has, and the newest, which somebody is about to place.
        live, held = live_channels(uow.session, every), _devices(uow, every)
        wanted = [b for b in every if b.number in live or b.number in held]
        found = list(dict.fromkeys([*wanted, *every[:NEWEST]]))[:MOST]
    return sorted(found, key=lambda b: b.version_code)


def _devices(uow: UnitOfWork, builds: list[BuildRow]) -> dict[int, int]:
    """Build number -> registered devices that have it."""
    numbers = {b.id: b.number for b in builds}
    rows = select(DeviceRow.build_id, func.count()).where(DeviceRow.build_id.in_(numbers)).group_by(DeviceRow.build_id)
    return {numbers[k]: n for k, n in uow.session.execute(rows) if k}
