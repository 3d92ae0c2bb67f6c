"""Builds: opening one with its version code, listing, notes, abandoning."""

from __future__ import annotations

from sqlalchemy import func, or_, select, tuple_
from sqlalchemy.orm import Session

from rampa.core.check.profile import check_profile, stops_a_build
from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.core.profile.document import Document
from rampa.core.profile.resolved import ResolvedProfile, bundle_name, resolve
from rampa.core.release import build as life
from rampa.core.release.machine import advance
from rampa.core.version.code import next_code
from rampa.core.version.name import version_name_problem
from rampa.db.builds import Build, Reservation
from rampa.db.titles import Title
from rampa.operations import audit
from rampa.operations.context import Actor, Services
from rampa.operations.describing import describe, live_channels, summary
from rampa.operations.documents import load_document
from rampa.operations.idempotency import Once, once
from rampa.operations.keys import identity_names
from rampa.operations.paging import cursor_numbers, page_of
from rampa.operations.titles import find_title
from rampa.schema import builds as wire
from rampa.schema.common import Page


def open_build(services: Services, actor: Actor, slug: str, asked: wire.NewBuild, key: Once | None) -> wire.Build:
    """Reserves the build's number and version code in one transaction; content comes after."""

    def make() -> wire.Build:
        title = find_title(session, slug, lock=True)
        document = load_document(session, title, asked.revision)
        profile = resolve(document, asked.profile)
        _must_be_sound(session, document, asked.profile)
        version = asked.version_name or profile.version_name
        problem = version_name_problem(version)
        if problem:
            raise Invalid("version.name", f"{version!r} cannot be used: {problem}", where="version_name")
        build = _add(session, services, actor, title, profile, asked, version)
        detail = {"profile": profile.name, "version": version, "code": build.version_code}
        audit.record(session, services, actor, "build.open", build.name, slug, **detail)
        return describe(session, build, actor, [])

    with services.db.transaction() as session:
        return once(session, services, actor, key, wire.Build, make)


def _must_be_sound(session: Session, document: Document, name: str) -> None:
    """What would fail after an hour's build, or at the storefront, is said before the build."""
    found = stops_a_build(check_profile(document, document.profile(name), identity_names(session)))
    if found:
        lines = "".join(f"\n  {f.message}. {f.hint}".rstrip() for f in found)
        count = "one finding stops" if len(found) == 1 else f"{len(found)} findings stop"
        raise Refused("profile.blocked", f"no build starts for {name}: {count} it{lines}")


def _add(
    session: Session,
    services: Services,
    actor: Actor,
    title: Title,
    profile: ResolvedProfile,
    asked: wire.NewBuild,
    version: str,
) -> Build:
    # The title's row is locked: two builds at once wait for one another here, and get different codes.
    line = (Reservation.identifier == profile.identifier, Reservation.platform == profile.platform.name)
    highest = session.scalar(select(func.max(Reservation.code)).where(*line))
    code = next_code(highest, profile.platform.code_limit, profile.first_code)
    title.last_build += 1
    build = Build(
        title=title,
        number=title.last_build,
        revision=asked.revision or title.revision,
        profile=profile.name,
        platform=profile.platform.name,
        purpose=profile.purpose,
        state=life.State.OPEN,
        version_name=version,
        version_code=code,
        bundle_name=bundle_name(profile, title.slug, version, code),
        launch=profile.launch,
        notes=asked.notes,
        notes_version=0,
        created_by=actor.name,
        created_at=services.now(),
        files=0,
        size=0,
        packed=0,
        figures={},
        nowhere=[],
        left_out=[],
        left_out_files=0,
        left_out_size=0,
    )
    session.add(build)
    session.flush()
    session.add(
        Reservation(
            identifier=profile.identifier,
            platform=profile.platform.name,
            code=code,
            build_id=build.id,
            created_at=services.now(),
        )
    )
    return build


def find_build(session: Session, slug: str, number: int, *, lock: bool = False) -> Build:
    title = find_title(session, slug)
    rows = select(Build).where(Build.title_id == title.id, Build.number == number)
    build = session.scalar(rows.with_for_update(of=Build) if lock else rows)
    if build is None:
        raise NotFound(
            "build.unknown",
            f"there is no build {slug}#{number}",
            where="build",
            hint=f"The newest is {slug}#{title.last_build}." if title.last_build else "There is none yet.",
        )
    return build


def get_build(services: Services, actor: Actor, slug: str, number: int) -> tuple[wire.Build, int]:
    """A build, and the version of its notes."""
    with services.db.transaction() as session:
        build = find_build(session, slug, number)
        return describe(session, build, actor, []), build.notes_version


def must_be_open(build: Build) -> Build:
    if build.state != life.State.OPEN:
        raise Conflict("build.closed", f"{build.name} is {build.state}: nothing can be sent to it any more")
    return build


def abandon_build(services: Services, actor: Actor, slug: str, number: int) -> wire.Build:
    """Gives an open build up; its version code is burned. Doing it twice is no error."""
    with services.db.transaction() as session:
        build = find_build(session, slug, number, lock=True)
        if build.state != life.State.ABANDONED:
            build.state = advance(life.TRANSITIONS, life.State(build.state), life.Event.ABANDON, build.name)
            audit.record(session, services, actor, "build.abandon", build.name, slug, burned=build.version_code)
        return describe(session, build, actor, [])


def change_notes(
    services: Services, actor: Actor, slug: str, number: int, asked: wire.BuildChange, expected: int
) -> wire.Build:
    """`expected` is the version of the notes that the caller saw."""
    with services.db.transaction() as session:
        build = find_build(session, slug, number, lock=True)
        if build.notes_version != expected:
            raise Conflict(
                "notes.moved", f"the notes of {build.name} were changed meanwhile", hint="Load them again, then edit."
            )
        build.notes = asked.notes
        build.notes_version += 1
        audit.record(session, services, actor, "build.notes", build.name, slug)
        return describe(session, build, actor, [])


def notes_version(services: Services, slug: str, number: int) -> int:
    with services.db.transaction() as session:
        return find_build(session, slug, number).notes_version


def list_builds(services: Services, slug: str, query: wire.BuildQuery) -> Page[wire.BuildSummary]:
    """Newest first, or largest first."""
    with services.db.transaction() as session:
        rows = select(Build).where(Build.title_id == find_title(session, slug).id).limit(query.limit + 1)
        if query.profile:
            rows = rows.where(Build.profile == query.profile)
        if query.platform:
            rows = rows.where(Build.platform == query.platform)
        if query.state:
            rows = rows.where(Build.state == query.state)
        if query.search:
            like = {"autoescape": True}
            rows = rows.where(
                or_(Build.notes.icontains(query.search, **like), Build.version_name.icontains(query.search, **like))
            )
        by_size = query.sort == "size"
        order = (Build.size, Build.number) if by_size else (Build.number,)
        rows = rows.order_by(*(column.desc() for column in order))
        if query.cursor:
            rows = rows.where(tuple_(*order) < tuple(cursor_numbers(query.cursor, len(order))))
        found = list(session.scalars(rows))
        live = live_channels(session, found)
        return page_of(
            Page[wire.BuildSummary],
            found,
            query.limit,
            lambda b: summary(b, live.get(b.number, [])),
            lambda b: f"{b.size},{b.number}" if by_size else str(b.number),
        )
