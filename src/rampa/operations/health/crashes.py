"""Groups of crashes: which there are, how many devices have them, since which build, and what came with that build."""

from __future__ import annotations

import datetime as dt
import uuid
from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Select, func, or_, select

from rampa.core.build.life import BuildState
from rampa.core.errors import RampaError
from rampa.core.health.crash import NamedFrame
from rampa.db import (
    BisectRow,
    BuildRow,
    CrashGroupRow,
    CrashRow,
    CrashStackRow,
    HealthEventRow,
    find_build,
    find_crash_group,
    find_title,
    has_source,
)
from rampa.operations.base import Services, UnitOfWork, begin, cursor_numbers
from rampa.operations.base.pages import encode_cursor
from rampa.operations.sources.commits import commit_out
from rampa.operations.sources.repository import mirror_of
from rampa.schema import crashes as wire
from rampa.schema.sources import CommitOut

Counted = Select[CrashGroupRow, int, int, int, dt.datetime]
KEPT = dt.timedelta(days=30)
SHOWN_STACKS, SHOWN_COMMITS, SHOWN_COUNTS = 5, 50, 20
SEARCHES = 5
DEVICES = func.count(CrashRow.device.distinct())
SORTS: Mapping[str, Sequence[ColumnElement[Any]]] = {
    "crashes": (func.count(CrashRow.id).desc(),),
    "devices": (DEVICES.desc(),),
    "newest": (CrashGroupRow.number.desc(),),
}


def list_crashes(services: Services, slug: str, query: wire.CrashQuery) -> wire.CrashPage:
    """Most crashes first, or as `sort` says."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        build = find_build(uow.session, slug, query.build) if query.build else None
        rows = _counted(uow, title.id, build)
        if query.search:
            columns = CrashGroupRow.place, CrashGroupRow.reason
            rows = rows.where(or_(*(c.icontains(query.search, autoescape=True) for c in columns)))
        if query.new and build:
            rows = rows.where(CrashGroupRow.first_build_id == build.id)
        at = cursor_numbers(query.cursor, 1)[0] if query.cursor else 0
        rows = rows.order_by(*SORTS[query.sort], CrashGroupRow.number.desc()).offset(at).limit(query.limit + 1)
        counted = list(uow.session.execute(rows))
        waiting = select(func.count()).where(CrashStackRow.title_id == title.id, CrashStackRow.group_id.is_(None))
        return wire.CrashPage(
            items=_summaries(uow, counted[: query.limit], build),
            next=encode_cursor(str(at + query.limit)) if len(counted) > query.limit else None,
            waiting=uow.session.scalar(waiting) or 0,
        )


def crashes_of(uow: UnitOfWork, build: BuildRow, limit: int, *, places: bool) -> list[wire.CrashSummary]:
    """Of one build, the new ones first. Without `places` for who may not read symbols."""
    new = CrashGroupRow.first_build_id == build.id
    rows = _counted(uow, build.title_id, build).order_by(new.desc(), *SORTS["crashes"], CrashGroupRow.number)
    found = _summaries(uow, list(uow.session.execute(rows.limit(limit))), build)
    return found if places else [g.model_copy(update={"place": ""}) for g in found]


def get_crash(services: Services, slug: str, number: int) -> wire.CrashGroup:
    with begin(services) as uow:
        group = find_crash_group(uow.session, slug, number)
        rows = _counted(uow, group.title_id, None, outer=True).where(CrashGroupRow.id == group.id)
        summary = _summaries(uow, list(uow.session.execute(rows)), None)[0]
        before = _before(uow, group)
        said, commits = _commits(uow, before, group.first_build)
        return wire.CrashGroup(
            **summary.model_dump(),
            title=slug,
            builds=_by_build(uow, group),
            levels=_by(uow, [group.id], CrashRow.level, None).get(group.id, []),
            stacks=_stacks(uow, group),
            before=before.name if before else "",
            before_number=before.number if before else 0,
            commits=commits,
            commits_said=said,
            bisects=_bisects(uow, group),
        )


def _bisects(uow: UnitOfWork, group: CrashGroupRow) -> list[wire.CrashBisect]:
    rows = select(BisectRow).where(BisectRow.title_id == group.title_id, BisectRow.crash == group.key)
    found = uow.session.scalars(rows.order_by(BisectRow.number.desc()).limit(SEARCHES))
    return [wire.CrashBisect(number=row.number, state=row.state, commit=row.found) for row in found]


def _counted(uow: UnitOfWork, title: uuid.UUID, build: BuildRow | None, *, outer: bool = False) -> Counted:
    """(group, crashes, devices, simulated devices, last) of each group of a title, of one build or of all."""
    since = uow.now - KEPT
    simulated = DEVICES.filter(CrashRow.simulated)
    rows = (
        select(CrashGroupRow, func.count(CrashRow.id), DEVICES, simulated, func.max(CrashRow.at))
        .join(CrashStackRow, CrashStackRow.group_id == CrashGroupRow.id)
        .join(CrashRow, (CrashRow.stack_id == CrashStackRow.id) & (CrashRow.at >= since), isouter=outer)
        .where(CrashGroupRow.title_id == title)
        .group_by(CrashGroupRow.id)
    )
    return rows.where(CrashStackRow.build_id == build.id) if build else rows


def _summaries(uow: UnitOfWork, counted: Sequence[Any], build: BuildRow | None) -> list[wire.CrashSummary]:
    forms = _by(uow, [group.id for group, *_ in counted], CrashRow.form, build)
    return [
        wire.CrashSummary(
            name=group.name,
            number=group.number,
            place=group.place,
            reason=group.reason,
            crashes=crashes,
            devices=devices,
            simulated=simulated,
            first_build=group.first_build.name,
            first_build_number=group.first_build.number,
            last_at=last,
            new=build is not None and group.first_build_id == build.id,
            forms=forms.get(group.id, []),
        )
        for group, crashes, devices, simulated, last in counted
    ]


def _by(
    uow: UnitOfWork, groups: Sequence[uuid.UUID], what: Any, build: BuildRow | None
) -> dict[uuid.UUID, list[wire.CrashCount]]:
    """By class or level, most first; in one question for all groups."""
    crashes = func.count(CrashRow.id)
    rows = (
        select(CrashStackRow.group_id, what, crashes, DEVICES)
        .join(CrashStackRow, CrashStackRow.id == CrashRow.stack_id)
        .where(CrashStackRow.group_id.in_(groups), CrashRow.at >= uow.now - KEPT, what != "")
        .group_by(CrashStackRow.group_id, what)
        .order_by(crashes.desc(), what)
    )
    found: dict[uuid.UUID, list[wire.CrashCount]] = defaultdict(list)
    for group, name, count, devices in uow.session.execute(
        rows.where(CrashStackRow.build_id == build.id) if build else rows
    ):
        if len(found[group]) < SHOWN_COUNTS:
            found[group].append(wire.CrashCount(name=name, crashes=count, devices=devices))
    return found


def _by_build(uow: UnitOfWork, group: CrashGroupRow) -> list[wire.CrashCount]:
    rows = (
        select(BuildRow, func.count(CrashRow.id), DEVICES)
        .join(CrashStackRow, CrashStackRow.build_id == BuildRow.id)
        .join(CrashRow, CrashRow.stack_id == CrashStackRow.id)
        .where(CrashStackRow.group_id == group.id, CrashRow.at >= uow.now - KEPT)
        .group_by(BuildRow.id)
        .order_by(BuildRow.number.desc())
        .limit(SHOWN_COUNTS)
    )
    return [wire.CrashCount(name=b.name, crashes=n, devices=d) for b, n, d in uow.session.execute(rows)]


def _stacks(uow: UnitOfWork, group: CrashGroupRow) -> list[wire.CrashStackOut]:
    """Those that came most."""
    crashes = func.count(CrashRow.id)
    rows = (
        select(CrashStackRow, BuildRow, crashes)
        .join(BuildRow, BuildRow.id == CrashStackRow.build_id)
        .join(CrashRow, CrashRow.stack_id == CrashStackRow.id)
        .where(CrashStackRow.group_id == group.id)
        .group_by(CrashStackRow.id, BuildRow.id)
        .order_by(crashes.desc(), CrashStackRow.id)
        .limit(SHOWN_STACKS)
    )
    return [
        wire.CrashStackOut(build=build.name, crashes=count, frames=[_frame(f) for f in stack.frames or []])
        for stack, build, count in uow.session.execute(rows)
    ]


def _frame(frame: NamedFrame) -> wire.CrashFrameOut:
    places = [wire.CrashPlaceOut(function=p.function, file=p.file, line=p.line) for p in frame.places]
    return wire.CrashFrameOut(module=frame.module, address=f"{frame.address:x}", places=places)


def _before(uow: UnitOfWork, group: CrashGroupRow) -> BuildRow | None:
    """The newest build of the same profile before it that was played without this crash."""
    first = group.first_build
    had = select(CrashStackRow.build_id).where(CrashStackRow.group_id == group.id)
    played = select(HealthEventRow.id).where(HealthEventRow.build_id == BuildRow.id)
    rows = (
        select(BuildRow)
        .where(BuildRow.title_id == group.title_id, BuildRow.profile == first.profile, BuildRow.number < first.number)
        .where(BuildRow.id.not_in(had), BuildRow.state == BuildState.READY)
        # One that nobody played says nothing of crashes; where none was, the newest must do.
        .order_by(played.exists().desc(), BuildRow.number.desc())
        .limit(1)
    )
    return uow.session.scalar(rows)


def _commits(uow: UnitOfWork, before: BuildRow | None, first: BuildRow) -> tuple[str, list[CommitOut]]:
    if before is None:
        return f"There is no build of {first.profile} before {first.name}.", []
    row = has_source(uow.session, first.title)
    if row is None or not before.made.commit or not first.made.commit:
        return "Not both builds were made from a commit.", []
    try:
        found = mirror_of(uow.services, row).log(first.made.commit, 0, SHOWN_COMMITS, since=before.made.commit)
    # A branch that was pushed over leaves builds whose commits the repository has forgotten.
    except RampaError:
        return "A commit of these is not in the repository any more.", []
    return "", [commit_out(c) for c in found]
