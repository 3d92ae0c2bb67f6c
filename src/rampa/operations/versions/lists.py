"""Version codes looked up: the next ones, who holds which; and those entered as taken at a storefront."""

from __future__ import annotations

from sqlalchemy import or_, select

from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.db import BuildRow, ReservationRow, TitleRow, find_title, load_document, new_id
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, cursor_id, page_of
from rampa.operations.versions.versions import CodeLine, WantedCode, hold, holder, line_of, next_for
from rampa.schema import versions as wire
from rampa.schema.common import Page


def next_codes(services: Services, slug: str) -> wire.NextCodes:
    """For each profile the code that its next build would get, or why it would get none."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        document = load_document(uow.session, title)
        return wire.NextCodes(items=[_next(uow, resolve(document, name)) for name in document.profiles])


def _next(uow: UnitOfWork, profile: ResolvedProfile) -> wire.NextCode:
    line = line_of(profile)
    code, stops, hint = None, "", ""
    # What a build forms from its commit cannot be said before there is one.
    if profile.settings.version.code == "commits":
        stops, hint = "the count of commits of what is built", "rampa run plan says it for a commit."
    else:
        try:
            code = next_for(uow, profile, WantedCode(profile.settings.version.name))
        except (Refused, Invalid) as error:
            stops, hint = error.message, error.hint
    return wire.NextCode(
        profile=profile.name,
        identifier=line.identifier,
        place=line.place,
        forming=profile.settings.version.code,
        version_name=profile.settings.version.name,
        code=code,
        limit=profile.code_limit,
        needs_grant=profile.platform.needs_grant and profile.settings.purpose != "release",
        stops=stops,
        hint=hint,
    )


def history(services: Services, slug: str, query: wire.HistoryQuery) -> Page[wire.CodeHeld]:
    """Who holds which code and why, newest first."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        identifiers = _identifiers(uow, title)
        rows = select(ReservationRow).where(ReservationRow.identifier.in_(identifiers))
        rows = rows.order_by(ReservationRow.id.desc()).limit(query.limit + 1)
        if query.place:
            rows = rows.where(or_(ReservationRow.storefront == query.place, ReservationRow.platform == query.place))
        if query.identifier:
            rows = rows.where(ReservationRow.identifier == query.identifier)
        if query.code:
            rows = rows.where(ReservationRow.code == query.code)
        if query.cursor:
            rows = rows.where(ReservationRow.id < cursor_id(query.cursor))
        found = list(uow.session.scalars(rows))
        return page_of(Page[wire.CodeHeld], found, query.limit, _held, lambda r: str(r.id))


def _identifiers(uow: UnitOfWork, title: TitleRow) -> set[str]:
    """The title's own, and those that its profiles have or had."""
    known = {title.identifier}
    if title.revision:
        document = load_document(uow.session, title)
        known |= {str(p.settings.title.identifier) for p in document.profiles.values()}
    rows = (
        select(ReservationRow.identifier)
        .join(BuildRow, BuildRow.id == ReservationRow.build_id)
        .where(BuildRow.title_id == title.id)
    )
    return known | set(uow.session.scalars(rows.distinct()))


STATES = {
    BuildState.OPEN: "held",
    BuildState.READY: "used",
    BuildState.ABANDONED: "burned",
    BuildState.REMOVED: "used",
}
"""A build's state -> its code's."""


def _held(row: ReservationRow) -> wire.CodeHeld:
    build = row.build
    state = STATES[BuildState(build.state)] if build else "taken"
    run = f", run {build.made.run}" if build and build.made.run else ""
    why = f"{build.name} ({build.profile}{run})" if build else row.note or "taken at the storefront"
    return wire.CodeHeld(
        identifier=row.identifier,
        place=row.storefront or row.platform,
        platform=row.platform,
        code=row.code,
        version_name=row.version_name or (build.version_name if build else ""),
        state=state,
        why=why,
        build=build.number if build else None,
        run=build.made.run if build and build.made.run else None,
        origin=row.origin,
        by=row.created_by or (build.created_by if build else ""),
        at=row.created_at,
    )


def take(services: Services, actor: Actor, slug: str, asked: wire.TakenIn) -> wire.CodeHeld:
    """A code that the storefront knows already: it and lower ones are never given. Raises `Conflict` when it is held here."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        if asked.identifier and asked.identifier not in _identifiers(uow, title):
            raise Invalid("version.identifier", f"{slug} has no profile with that identifier", where="identifier")
        line = _asked_line(asked, asked.identifier or title.identifier)
        # The same lock that reserving takes: a code is not given to a build while it is marked as taken.
        hold(uow, line)
        there = uow.session.scalar(select(ReservationRow).where(line.holds(), ReservationRow.code == asked.code))  # type: ignore[arg-type]
        if there is not None:
            raise Conflict(
                "version.taken", f"version code {asked.code:,} is held by {holder(there)} already", where="code"
            )
        row = ReservationRow(
            id=new_id(),
            identifier=line.identifier,
            platform=line.platform,
            storefront=line.storefront,
            code=asked.code,
            version_name=asked.version_name,
            origin=asked.origin,
            note=asked.note,
            created_by=actor.name,
            created_at=services.now(),
        )
        uow.session.add(row)
        detail = {"code": asked.code, "place": line.place, "origin": asked.origin}
        audit.record(uow, "version.take", line.identifier, slug, **detail)
        uow.session.flush()
        return _held(row)


def _asked_line(asked: wire.TakenIn, identifier: str) -> CodeLine:
    if asked.place in STOREFRONTS:
        return CodeLine(identifier, "", asked.place)
    if asked.place in PLATFORMS:
        return CodeLine(identifier, asked.place, "")
    known = ", ".join((*STOREFRONTS, *PLATFORMS))
    raise Invalid(
        "version.place", f"{asked.place!r} is no storefront or platform", where="place", hint=f"There is: {known}."
    )
