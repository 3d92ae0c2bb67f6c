"""How far each line of a release is: the lines that the title's document has for its purpose, and what each lacks."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on

from rampa.core.build.life import BuildState
from rampa.core.placement.release import Line, ReleaseLineState
from rampa.core.platform.table import line_title
from rampa.core.run.life import RunState
from rampa.db import BuildRow, ReleaseRow, RunRow, live_channels, live_files, load_document
from rampa.operations.base import UnitOfWork
from rampa.operations.builds.views import summary
from rampa.schema import releases as wire

GOING = (RunState.WAITING, RunState.WORKING, RunState.STOPPING)


@dataclass(frozen=True)
class Expected:
    """A line that the document has, and the profile that makes its builds."""

    line: Line
    profile: str


def expected_lines(uow: UnitOfWork, release: ReleaseRow) -> list[Expected]:
    """Of the document as it is now; the first profile of a line speaks for it."""
    document = load_document(uow.session, release.title)
    found: dict[Line, Expected] = {}
    for name, profile in document.profiles.items():
        if profile.settings.purpose == release.purpose:
            line = (profile.settings.platform, profile.settings.storefront)
            found.setdefault(line, Expected(line, name))
    for row in release.builds:
        line = (row.build.platform, row.storefront)
        found.setdefault(line, Expected(line, row.build.profile))
    return list(found.values())


def describe_lines(uow: UnitOfWork, release: ReleaseRow) -> list[wire.ReleaseLine]:
    there = {(r.build.platform, r.storefront): r.build for r in release.builds}
    left_out = {(o.platform, o.storefront): o for o in release.left_out}
    live, files = live_channels(uow.session, there.values()), live_files(uow.session, there.values())
    expected = expected_lines(uow, release)
    lagging = [e for e in expected if e.line not in there and e.line not in left_out]
    states = _lag(uow, release, lagging)
    out = []
    for each in expected:
        build = there.get(each.line)
        if build is not None:
            again = {name: n for name, n in files.get(build.number, {}).items() if n != build.number}
            state, said = ReleaseLineState.READY, ", ".join(f"as #{n} on {name}" for name, n in again.items())
        elif each.line in left_out:
            gone = left_out[each.line]
            state, said = ReleaseLineState.LEFT_OUT, f"{gone.reason} ({gone.by})"
        else:
            state, said = states[each.line]
        out.append(
            wire.ReleaseLine(
                profile=each.profile,
                platform=each.line[0],
                line=line_title(*each.line),
                state=state,
                build=summary(build, live.get(build.number, [])) if build else None,
                said=said,
            )
        )
    return out


def _lag(uow: UnitOfWork, release: ReleaseRow, lagging: list[Expected]) -> dict[Line, tuple[ReleaseLineState, str]]:
    """What the newest run or build of each says; two questions, however many lines there are."""
    profiles = [each.profile for each in lagging]
    if not profiles:
        return {}
    newest_run = (
        select(RunRow)
        .where(RunRow.title_id == release.title_id, RunRow.profile.in_(profiles))
        .ext(distinct_on(RunRow.profile))
        .order_by(RunRow.profile, RunRow.number.desc())
    )
    newest_build = (
        select(BuildRow)
        .where(
            BuildRow.title_id == release.title_id, BuildRow.profile.in_(profiles), BuildRow.state == BuildState.READY
        )
        .ext(distinct_on(BuildRow.profile))
        .order_by(BuildRow.profile, BuildRow.number.desc())
    )
    runs = {r.profile: r for r in uow.session.scalars(newest_run)}
    builds = {b.profile: b for b in uow.session.scalars(newest_build)}
    return {each.line: _said(runs.get(each.profile), builds.get(each.profile)) for each in lagging}


def _said(run: RunRow | None, build: BuildRow | None) -> tuple[ReleaseLineState, str]:
    if run is not None and run.state in GOING:
        return ReleaseLineState.MAKING, f"run {run.number} is {run.state}"
    if run is not None and run.state == RunState.FAILED:
        return ReleaseLineState.FAILED, f"run {run.number} failed" + (f": {run.cause.sentence}" if run.cause else "")
    if build is not None:
        return ReleaseLineState.LAGS, f"its newest build is {build.name}, {build.version_name}"
    return ReleaseLineState.LAGS, "nothing was built yet"
