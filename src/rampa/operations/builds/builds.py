"""Builds: opening one with its version code, listing, notes, abandoning."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.build.life import BuildEvent, BuildState
from rampa.core.check.profile import check_profile, stops_a_build
from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.profile.document import Document
from rampa.core.profile.resolved import ResolvedProfile, bundle_name, resolve
from rampa.core.run.life import HELD
from rampa.db import (
    BuildContentRow,
    BuildOriginRow,
    BuildRow,
    RunAttemptRow,
    RunRow,
    TitleRow,
    find_build,
    find_title,
    first_of,
    identity_names,
    load_document,
)
from rampa.operations.base import Actor, Once, Services, UnitOfWork, audit, begin, once, transition
from rampa.operations.builds.views import describe
from rampa.operations.signing.continuity import profile_continues
from rampa.operations.versions.versions import WantedCode, next_for, reserve
from rampa.schema.builds import builds as wire


def open_build(services: Services, actor: Actor, slug: str, asked: wire.NewBuild, key: Once | None) -> wire.Build:
    """Reserves the build's number and version code in one transaction; content comes after."""

    def make() -> wire.Build:
        # Locked, so that two builds that open at once get two numbers.
        title = find_title(uow.session, slug, lock=True)
        run = run_of_lease(uow, title, asked.lease)
        # An attempt that lost the answer to its call, or a step that is tried again, goes on with the build that it
        # has.
        opened = opened_by(uow, title, run) if run else None
        if opened:
            return describe(uow, opened, actor, [])
        document = load_document(uow.session, title, asked.revision)
        profile = resolve(document, asked.profile)
        _must_be_sound(uow, document, asked.profile)
        _must_continue(uow, profile)
        version = asked.version_name or profile.settings.version.name
        problem = profile.version_problem(version)
        if problem:
            raise Invalid("version.name", f"{version!r} cannot be used: {problem}", where="version_name")
        build = _add(uow, title, profile, asked, version, run)
        if run:
            build.created_by = run.started_by
        detail = {"profile": profile.name, "version": version, "code": build.version_code}
        audit.record(uow, "build.open", build.name, slug, **detail)
        return describe(uow, build, actor, [])

    with begin(services, actor) as uow:
        return once(uow, key, wire.Build, make)


def run_of_lease(uow: UnitOfWork, title: TitleRow, lease: str) -> RunRow | None:
    """The run that an agent holds; None where a person names none. Raises `Conflict` when it is no longer held."""
    if not lease and not uow.actor.agent:
        return None
    rows = select(RunRow).join(RunAttemptRow).where(RunAttemptRow.lease == (lease or "none"))
    if uow.actor.agent:
        rows = rows.where(RunAttemptRow.agent_id == uow.actor.principal)
    rows = rows.where(RunRow.title_id == title.id, RunRow.state.in_(HELD))
    run = first_of(uow.session, rows, lock=True)
    if run is None:
        hint = "Stop working on it: it was given to another agent, cancelled, or ended."
        raise Conflict("lease.lost", "this agent does not have that run any more", where="lease", hint=hint)
    return run


def opened_by(uow: UnitOfWork, title: TitleRow, run: RunRow) -> BuildRow | None:
    rows = (
        select(BuildRow)
        .join(BuildOriginRow)
        .where(BuildRow.title_id == title.id, BuildOriginRow.run == run.number, BuildRow.state == BuildState.OPEN)
    )
    return uow.session.scalar(rows)


def must_hold(uow: UnitOfWork, build: BuildRow, lease: str) -> None:
    """A build that a run makes is completed by whoever holds the run, and by nobody else."""
    if build.made.run:
        run = run_of_lease(uow, build.title, lease or "none")
        if run is None or run.number != build.made.run:
            raise Conflict("lease.lost", f"{build.name} belongs to run {build.made.run}", where="lease")


def _must_be_sound(uow: UnitOfWork, document: Document, name: str) -> None:
    """What would fail after an hour's build, or at the storefront, is said before the build."""
    found = stops_a_build(check_profile(document, document.profile(name), identity_names(uow.session)))
    if found:
        lines = "".join(f"\n  {f.message}. {f.hint}".rstrip() for f in found)
        count = "one finding stops" if len(found) == 1 else f"{len(found)} findings stop"
        raise Refused("profile.blocked", f"no build starts for {name}: {count} it{lines}")


def _must_continue(uow: UnitOfWork, profile: ResolvedProfile) -> None:
    """Another certificate than the storefront knows is a blocker before anything is built."""
    for f in profile_continues(uow, profile):
        raise Refused(f.code, f.message, where=f.where, hint=f.hint)


def _unreserved(uow: UnitOfWork, profile: ResolvedProfile, wanted: WantedCode) -> int:
    try:
        return next_for(uow, profile, wanted)
    except (Refused, Invalid):
        return 1  # an old commit's code may be behind what was given since, and no one is shown it


def _add(
    uow: UnitOfWork,
    title: TitleRow,
    profile: ResolvedProfile,
    asked: wire.NewBuild,
    version: str,
    run: RunRow | None,
) -> BuildRow:
    reserved = None
    # Made again to compare bytes: another version code would be another bundle.
    if run and run.order.trial and not run.order.keeps:
        # Nobody ever gets it: the code that the next build will have is not taken from it.
        code = _unreserved(uow, profile, WantedCode(version, run.order.commits))
    elif run and run.order.reproduces:
        code = find_build(uow.session, title.slug, run.order.reproduces).version_code
    else:
        reserved = reserve(uow, profile, WantedCode(version, run.order.commits if run else 0))
        code = reserved.code
    title.last_build += 1
    build = BuildRow(
        title=title,
        number=title.last_build,
        revision=asked.revision or title.revision,
        profile=profile.name,
        platform=profile.platform.name,
        purpose=profile.settings.purpose,
        state=BuildState.OPEN,
        version_name=version,
        version_code=code,
        bundle_name=bundle_name(profile, title.slug, version, code),
        notes=asked.notes,
        created_by=uow.actor.name,
        created_at=uow.now,
        made=_origin(run),
        content=BuildContentRow(launch=profile.launch),
    )
    uow.session.add(build)
    uow.session.flush()
    if reserved:
        reserved.build_id = build.id
    return build


def _origin(run: RunRow | None) -> BuildOriginRow:
    if run is None:
        return BuildOriginRow()
    asked = run.order
    return BuildOriginRow(run=run.number, commit=asked.commit, ref=asked.ref, why=run.why, native=asked.native)


def get_build(services: Services, actor: Actor, slug: str, number: int) -> tuple[wire.Build, int]:
    """A build, and the version of its notes."""
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number)
        return describe(uow, build, actor, []), build.notes_version


def abandon_build(services: Services, actor: Actor, slug: str, number: int) -> wire.Build:
    """Gives an open build up; its version code is burned. Doing it twice is no error."""
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number, lock=True)
        if build.state != BuildState.ABANDONED:
            transition(uow, build, BuildEvent.ABANDON, burned=build.version_code)
        return describe(uow, build, actor, [])


def change_build(
    services: Services, actor: Actor, slug: str, number: int, asked: wire.BuildChange, expected: int
) -> wire.Build:
    """`expected` is the version of the notes that the caller saw."""
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number, lock=True)
        if build.notes_version != expected:
            raise Conflict(
                "notes.moved", f"the notes of {build.name} were changed meanwhile", hint="Load them again, then edit."
            )
        if asked.notes is not None:
            build.notes = asked.notes
            audit.record(uow, "build.notes", build.name, slug)
        if asked.pinned is not None:
            build.pinned = asked.pinned
            audit.record(uow, "build.pin" if asked.pinned else "build.unpin", build.name, slug)
        build.notes_version += 1
        return describe(uow, build, actor, [])


def notes_version(services: Services, slug: str, number: int) -> int:
    with begin(services) as uow:
        return find_build(uow.session, slug, number).notes_version
