"""What sign-offs come to, by build and by release: who, on what, which points failed."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.testers.checklist import Checklist, Point, read_checklists
from rampa.core.testers.sign_off import PointVerdict, Tick, signed_by
from rampa.db import (
    BuildRow,
    ChecklistsRow,
    SignOffRow,
    checklists_for,
    find_build,
    find_release,
    finished_sign_offs,
    live_channels,
)
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.builds.views import summary
from rampa.operations.titles.checklists import texts
from rampa.schema import sign_offs as wire


def of_build(services: Services, slug: str, number: int) -> wire.BuildSignOffs:
    with begin(services) as uow:
        return _of(uow, find_build(uow.session, slug, number))


def of_release(services: Services, slug: str, number: int) -> wire.ReleaseSignOffs:
    """Every build of it, in the release's order."""
    with begin(services) as uow:
        release = find_release(uow.session, slug, number)
        return wire.ReleaseSignOffs(items=[_of(uow, row.build) for row in release.builds])


def _of(uow: UnitOfWork, build: BuildRow) -> wire.BuildSignOffs:
    wanted = [c.name for c in checklists_for(uow.session, build)]
    rows = select(SignOffRow).where(SignOffRow.build_id == build.id).order_by(SignOffRow.changed_at.desc())
    found = list(uow.session.scalars(rows))
    lists = _as_written(uow, build, {r.checklists for r in found})
    return wire.BuildSignOffs(
        build=summary(build, live_channels(uow.session, [build]).get(build.number, [])),
        wanted=wanted,
        signed=list(signed_by(wanted, finished_sign_offs(uow.session, build.id))),
        items=[_out(r, lists.get((r.checklists, r.checklist))) for r in found],
    )


def _as_written(uow: UnitOfWork, build: BuildRow, numbers: set[int]) -> dict[tuple[int, str], Checklist]:
    """The checklists as they were when somebody ticked them."""
    rows = select(ChecklistsRow).where(ChecklistsRow.title_id == build.title_id, ChecklistsRow.number.in_(numbers))
    return {(row.number, c.name): c for row in uow.session.scalars(rows) for c in read_checklists(row.text)}


def _out(row: SignOffRow, checklist: Checklist | None) -> wire.SignOffOut:
    points = {p.name: p for p in checklist.points} if checklist is not None else {}
    failed = [t for t in row.ticks if t.verdict is PointVerdict.FAILED]
    passed = [t for t in row.ticks if t.verdict is PointVerdict.PASSED]
    return wire.SignOffOut(
        person=row.person.name,
        checklist=row.checklist,
        title=checklist.title if checklist is not None else row.checklist,
        state=row.state,
        device=row.device,
        passed=len(passed),
        points=len(points) or len(row.ticks),
        failed=[_point(t, points.get(t.point)) for t in failed],
        notes=[_point(t, points.get(t.point)) for t in passed if t.note or t.pictures],
        changed_at=row.changed_at,
        finished_at=row.finished_at,
    )


def _point(tick: Tick, point: Point | None) -> wire.FailedPoint:
    said = texts(point) if point is not None else []
    return wire.FailedPoint(point=tick.point, text=said, note=tick.note, pictures=list(tick.pictures))
