"""Releases: made of a run group, a commit or a list of builds; shown with what lags; lines left out, and builds that follow."""

from __future__ import annotations

from sqlalchemy import func, select

from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.placement.release import Candidate, check_release
from rampa.core.platform.table import line_title
from rampa.db import (
    BuildOriginRow,
    BuildRow,
    ReleaseBuildRow,
    ReleaseLeftOutRow,
    ReleaseRow,
    RunRow,
    TitleRow,
    find_build,
    find_release,
    find_title,
    live_files,
)
from rampa.operations.base import (
    Act,
    Actor,
    Once,
    Services,
    UnitOfWork,
    action,
    audit,
    begin,
    cursor_numbers,
    must,
    once,
    page_of,
)
from rampa.operations.channels.obstacles import line_of_build
from rampa.operations.releases.lines import describe_lines, expected_lines
from rampa.schema import releases as wire
from rampa.schema.common import Page


def make_release(services: Services, actor: Actor, slug: str, asked: wire.NewRelease, key: Once | None) -> wire.Release:
    """Raises `Invalid` for builds that do not belong together, with those that differ."""
    must(actor, Act.MAKE_RELEASE)

    def make() -> wire.Release:
        title = find_title(uow.session, slug, lock=True)
        builds = _chosen(uow, title, asked)
        lines = [line_of_build(uow, b).storefront for b in builds]
        check_release([_candidate(b, s) for b, s in zip(builds, lines, strict=True)])
        last = uow.session.scalar(select(func.max(ReleaseRow.number)).where(ReleaseRow.title_id == title.id)) or 0
        release = ReleaseRow(
            title=title,
            number=last + 1,
            version_name=builds[0].version_name,
            purpose=builds[0].purpose,
            created_by=actor.name,
            created_at=uow.now,
            notes_version=0,
        )
        release.builds = [
            ReleaseBuildRow(build=b, storefront=s, added_at=uow.now) for b, s in zip(builds, lines, strict=True)
        ]
        uow.session.add(release)
        uow.session.flush()
        names = ", ".join(b.name for b in builds)
        audit.record(uow, "release.make", release.name, slug, builds=names)
        return describe(uow, release)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Release, make)


def get_release(services: Services, actor: Actor, slug: str, number: int) -> wire.Release:
    with begin(services, actor) as uow:
        return describe(uow, find_release(uow.session, slug, number))


def list_releases(services: Services, slug: str, query: wire.ReleaseQuery) -> Page[wire.ReleaseSummary]:
    """Newest first."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = select(ReleaseRow).where(ReleaseRow.title_id == title.id).order_by(ReleaseRow.number.desc())
        if query.cursor:
            rows = rows.where(ReleaseRow.number < cursor_numbers(query.cursor, 1)[0])
        found = list(uow.session.scalars(rows.limit(query.limit + 1)))
        live = _live_on(uow, found)
        return page_of(
            wire.ReleasePage,
            found,
            query.limit,
            lambda r: wire.ReleaseSummary(**_fields(r, live.get(r.number, []))),
            lambda r: str(r.number),
        )


def add_build(services: Services, actor: Actor, slug: str, number: int, asked: wire.AddBuild) -> wire.Release:
    """One that follows: of a line that had none, or that was left out."""
    must(actor, Act.MAKE_RELEASE)
    with begin(services, actor) as uow:
        release = find_release(uow.session, slug, number, lock=True)
        build = find_build(uow.session, slug, asked.build)
        if build.id in {r.build_id for r in release.builds}:
            raise Conflict("release.has", f"{build.name} is in {release.name} already")
        storefront = line_of_build(uow, build).storefront
        rows = [_candidate(r.build, r.storefront) for r in release.builds]
        check_release([*rows, _candidate(build, storefront)])
        release.left_out = [o for o in release.left_out if (o.platform, o.storefront) != (build.platform, storefront)]
        release.builds.append(ReleaseBuildRow(build=build, storefront=storefront, added_at=uow.now))
        audit.record(uow, "release.add", release.name, slug, build=build.name)
        uow.session.flush()
        return describe(uow, release)


def leave_out(services: Services, actor: Actor, slug: str, number: int, asked: wire.LeaveOut) -> wire.Release:
    """A line goes without, with a reason that stays; with none it is expected again."""
    must(actor, Act.MAKE_RELEASE)
    reason = " ".join(asked.reason.split())
    with begin(services, actor) as uow:
        release = find_release(uow.session, slug, number, lock=True)
        line = next((e.line for e in expected_lines(uow, release) if e.profile == asked.profile), None)
        if line is None:
            names = ", ".join(e.profile for e in expected_lines(uow, release))
            hint = f"Its lines are those of {names}."
            raise NotFound(
                "release.profile", f"{release.name} has no line of {asked.profile!r}", where="profile", hint=hint
            )
        if any((r.build.platform, r.storefront) == line for r in release.builds):
            raise Conflict("release.ready", f"{release.name} has a build for {line_title(*line)}", where="profile")
        release.left_out = [o for o in release.left_out if (o.platform, o.storefront) != line]
        uow.session.flush()
        if reason:
            release.left_out.append(
                ReleaseLeftOutRow(platform=line[0], storefront=line[1], reason=reason, by=actor.name, at=uow.now)
            )
        act = "release.leave-out" if reason else "release.bring-back"
        audit.record(uow, act, release.name, slug, line=line_title(*line), **({"reason": reason} if reason else {}))
        uow.session.flush()
        return describe(uow, release)


def describe(uow: UnitOfWork, release: ReleaseRow) -> wire.Release:
    live = _live_on(uow, [release])
    return wire.Release(
        **_fields(release, live.get(release.number, [])),
        lines=describe_lines(uow, release),
        notes=[
            wire.ReleaseNote(audience=n.audience, language=n.language, text=n.text, by=n.by, at=n.at)
            for n in sorted(release.notes, key=lambda n: (n.audience, n.language))
        ],
        allowed_actions=[
            action(uow.actor, Act.PLACE, "place"),
            action(uow.actor, Act.MAKE_RELEASE, "change"),
            action(uow.actor, Act.ROLL_OUT, "roll out"),
        ],
    )


def _fields(release: ReleaseRow, live_on: list[str]) -> dict[str, object]:
    return {
        "number": release.number,
        "title": release.title.slug,
        "version_name": release.version_name,
        "purpose": release.purpose,
        "builds": sorted(r.build.number for r in release.builds),
        "live_on": live_on,
        "created_at": release.created_at,
        "created_by": release.created_by,
    }


def _live_on(uow: UnitOfWork, releases: list[ReleaseRow]) -> dict[int, list[str]]:
    """Release -> channels on which the files of all its builds are live; one question for all."""
    found = live_files(uow.session, [r.build for release in releases for r in release.builds])
    out = {}
    for release in releases:
        first, *others = [found.get(r.build.number, {}) for r in release.builds]
        out[release.number] = [name for name in first if all(name in other for other in others)]
    return out


def _candidate(build: BuildRow, storefront: str) -> Candidate:
    line = (build.platform, storefront)
    return Candidate(build.name, line, build.version_name, build.purpose, build.state == BuildState.READY)


def _chosen(uow: UnitOfWork, title: TitleRow, asked: wire.NewRelease) -> list[BuildRow]:
    if (bool(asked.builds) + (asked.run is not None) + bool(asked.commit)) != 1:
        hint = "Builds, or --run, or --commit."
        raise Invalid("release.of", "a release is of builds, of a run group or of a commit", where="builds", hint=hint)
    if asked.builds:
        return [find_build(uow.session, title.slug, number) for number in dict.fromkeys(asked.builds)]
    if asked.run is not None:
        return _of_group(uow, title, asked.run)
    rows = (
        select(BuildRow)
        .join(BuildOriginRow)
        .where(BuildRow.title_id == title.id, BuildRow.state == BuildState.READY)
        .where(BuildOriginRow.commit.startswith(asked.commit, autoescape=True), BuildOriginRow.content_of == 0)
    )
    found = list(uow.session.scalars(rows.order_by(BuildRow.number)))
    commits = {b.made.commit for b in found}
    if len(commits) > 1:
        hint = f"Write more of it: {', '.join(sorted(c[:12] for c in commits))}."
        raise Invalid(
            "release.commit", f"{asked.commit} begins the names of several commits", where="commit", hint=hint
        )
    if not found:
        raise NotFound(
            "release.no-build", f"no ready build of {title.slug} was made from {asked.commit}", where="commit"
        )
    # The newest of each profile, and of the purpose that most are of: a testing build beside a release one is not meant.
    purpose = "release" if any(b.purpose == "release" for b in found) else found[-1].purpose
    return list({b.profile: b for b in found if b.purpose == purpose}.values())


def _of_group(uow: UnitOfWork, title: TitleRow, number: int) -> list[BuildRow]:
    run = uow.session.scalar(select(RunRow).where(RunRow.title_id == title.id, RunRow.number == number))
    if run is None:
        raise NotFound("run.unknown", f"there is no run {number} of {title.slug}", where="run")
    rows = select(RunRow).where(RunRow.title_id == title.id, RunRow.together == run.together)
    builds = [r.build for r in uow.session.scalars(rows.order_by(RunRow.number)) if r.build is not None]
    if not builds:
        hint = "Wait until one of them ends."
        raise NotFound(
            "release.no-build", f"the runs started with run {number} made no build yet", where="run", hint=hint
        )
    return [b for b in builds if b.purpose == builds[0].purpose]
