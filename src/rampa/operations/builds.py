"""Builds: opening one with its version code, listing, notes, abandoning."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import func, or_, select, tuple_
from sqlalchemy.orm import Session

from rampa.core.check.findings import Finding
from rampa.core.check.profile import check_profile, stops_a_build
from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import Document
from rampa.core.profile.resolved import ResolvedProfile, bundle_name, resolve
from rampa.core.release import build as life
from rampa.core.release import placement as placement_life
from rampa.core.release.machine import advance
from rampa.core.version.code import next_code
from rampa.core.version.name import version_name_problem
from rampa.db.builds import Build, Reservation
from rampa.db.channels import Channel, Placement
from rampa.db.titles import Title
from rampa.operations import audit
from rampa.operations.context import MAKERS, Actor, Services
from rampa.operations.documents import load_document
from rampa.operations.idempotency import Once, once
from rampa.operations.paging import cursor_numbers, page_of
from rampa.operations.titles import find_title
from rampa.schema import builds as wire
from rampa.schema.common import Action, FindingOut, Page


def open_build(services: Services, actor: Actor, slug: str, asked: wire.NewBuild, key: Once | None) -> wire.Build:
    """Reserves the build's number and version code in one transaction; content comes after."""

    def make() -> wire.Build:
        title = find_title(session, slug, lock=True)
        document = load_document(session, title, asked.revision)
        profile = resolve(document, asked.profile)
        _must_be_sound(document, asked.profile)
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


def _must_be_sound(document: Document, name: str) -> None:
    """What would fail after an hour's build, or at the storefront, is said before the build."""
    found = stops_a_build(check_profile(document, document.profile(name)))
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


def live_channels(session: Session, builds: Iterable[Build]) -> dict[int, list[str]]:
    """Build number -> names of the channels where it is live."""
    numbers = {b.id: b.number for b in builds}
    rows = session.execute(
        select(Placement.build_id, Channel.name)
        .join(Channel, Channel.id == Placement.channel_id)
        .where(Placement.build_id.in_(numbers), Placement.state == placement_life.State.LIVE)
        .order_by(Channel.id)
    )
    live: dict[int, list[str]] = {}
    for build_id, name in rows:
        live.setdefault(numbers[build_id], []).append(name)
    return live


def summary(build: Build, live_on: list[str]) -> wire.BuildSummary:
    return wire.BuildSummary(**_fields(build, live_on))


def describe(session: Session, build: Build, actor: Actor, findings: list[Finding]) -> wire.Build:
    live_on = live_channels(session, [build]).get(build.number, []) if build.id else []
    return wire.Build(
        **_fields(build, live_on),
        bundle=_bundle(build),
        bundle_name=build.bundle_name,
        launch=build.launch,
        depots=[
            wire.DepotOut(
                name=d.name,
                manifest=d.manifest.hex(),
                manifest_size=d.manifest_size,
                files=d.files,
                size=d.size,
                packed=d.packed,
            )
            for d in build.depots or []
        ],
        findings=[finding_out(f) for f in findings],
        left_out_files=build.left_out_files,
        left_out_size=build.left_out_size,
        figures=wire.Figures(**build.figures),
        allowed_actions=_actions(build, actor),
    )


def finding_out(finding: Finding) -> FindingOut:
    return FindingOut(
        severity=finding.severity,
        code=finding.code,
        message=finding.message,
        where=finding.where,
        hint=finding.hint,
    )


def _actions(build: Build, actor: Actor) -> list[Action]:
    may = actor.role in MAKERS
    role = "" if may else f"A {actor.role} may not."
    is_open, is_ready = build.state == life.State.OPEN, build.state == life.State.READY
    return [
        Action(name="abandon", possible=is_open and may, reason=role or ("" if is_open else f"It is {build.state}.")),
        Action(name="place", possible=is_ready and may, reason=role or ("" if is_ready else f"It is {build.state}.")),
    ]


def _fields(build: Build, live_on: list[str]) -> dict[str, object]:
    return {
        "name": build.name,
        "title": build.title.slug,
        "number": build.number,
        "profile": build.profile,
        "platform": build.platform,
        "purpose": build.purpose,
        "state": build.state,
        "version_name": build.version_name,
        "version_code": build.version_code,
        "revision": build.revision,
        "files": build.files,
        "size": build.size,
        "packed": build.packed,
        "signed": bool(build.bundle and build.bundle.signature),
        "live_on": live_on,
        "created_at": build.created_at,
        "completed_at": build.completed_at,
        "created_by": build.created_by,
        "notes": build.notes,
    }


def _bundle(build: Build) -> wire.BundleOut | None:
    bundle = build.bundle
    if bundle is None:
        return None
    return wire.BundleOut(
        name=bundle.name,
        size=bundle.size,
        sha256=bundle.sha256.hex(),
        identity=bundle.identity,
        fingerprint=bundle.fingerprint,
        signed_at=bundle.signed_at,
    )


def platform_title(name: str) -> str:
    return PLATFORMS[name].title if name in PLATFORMS else name
