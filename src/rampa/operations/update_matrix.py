"""The update cost matrix: builds by builds, exact, weighted by the devices that have them."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from rampa.core.content.tuning import RATES
from rampa.core.errors import Invalid
from rampa.core.release import build as life
from rampa.db.builds import Build
from rampa.db.channels import Device
from rampa.operations.context import Services
from rampa.operations.costs import update_cost
from rampa.operations.describing import live_channels
from rampa.operations.titles import find_title
from rampa.schema import updates as wire
from rampa.schema.channels import CostOut

MOST = 16
NEWEST = 5


def matrix(services: Services, slug: str, query: wire.MatrixQuery) -> wire.UpdateMatrix:
    """Only rising version codes: no device goes back by an update."""
    with services.db.transaction() as session:
        builds = _builds(session, slug, query)
        devices = _devices(session, builds)
        live = live_channels(session, builds)
    cells = []
    for new in builds:
        cells.append(_cell(services, None, new, 0))
        cells += [
            _cell(services, old, new, devices.get(old.number, 0))
            for old in builds
            if old.version_code < new.version_code
        ]
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
                size=b.size,
            )
            for b in builds
        ],
        cells=cells,
    )


def _cell(services: Services, old: Build | None, new: Build, devices: int) -> wire.MatrixCell:
    cost: CostOut = update_cost(services, new, old)
    return wire.MatrixCell(
        old=old.number if old else 0,
        new=new.number,
        download=cost.download,
        plain=cost.plain,
        written=cost.written,
        peak_disk=cost.peak_disk,
        seconds={rate: round(cost.download * 8 / (rate * 1e6), 2) for rate in RATES},
        weighted=cost.download * devices,
    )


def _builds(session: Session, slug: str, query: wire.MatrixQuery) -> list[Build]:
    title = find_title(session, slug)
    rows = select(Build).where(
        Build.title_id == title.id, Build.platform == query.platform, Build.state == life.State.READY
    )
    asked = {int(n) for n in query.builds.split(",") if n}
    if len(asked) > MOST:
        raise Invalid(
            "matrix.wide", f"a matrix has at most {MOST} builds, and {len(asked)} were asked for", where="builds"
        )
    every = list(session.scalars(rows.order_by(Build.number.desc()).limit(2000)))
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
        live, held = live_channels(session, every), _devices(session, every)
        wanted = [b for b in every if b.number in live or b.number in held]
        found = list(dict.fromkeys([*wanted, *every[:NEWEST]]))[:MOST]
    return sorted(found, key=lambda b: b.version_code)


def _devices(session: Session, builds: list[Build]) -> dict[int, int]:
    """Build number -> registered devices that have it."""
    numbers = {b.id: b.number for b in builds}
    rows = select(Device.build_id, func.count()).where(Device.build_id.in_(numbers)).group_by(Device.build_id)
    return {numbers[k]: n for k, n in session.execute(rows) if k}
