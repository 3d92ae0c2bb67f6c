"""A tester's own sign-offs: kept as far as they are, finished, looked at again; and the pictures in them."""

from __future__ import annotations

import uuid

from sqlalchemy import Select, func, select

from rampa.core.apart import QUICK
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.picture.photo import make_photo
from rampa.core.testers.checklist import Checklist, order
from rampa.core.testers.sign_off import (
    TRANSITIONS,
    SignOffEvent,
    SignOffState,
    Tick,
    check_ticks,
    failed_points,
    must_be_whole,
)
from rampa.core.transitions import advance
from rampa.db import (
    BuildRow,
    SignOffRow,
    TesterPictureRow,
    checklists_for,
    newest_checklists,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, may
from rampa.operations.testers.access import must_install
from rampa.operations.testers.testing import find_live
from rampa.operations.titles.checklists import describe
from rampa.schema import sign_offs as wire

MOST_PICTURES = 1000
"""Of one person for one title."""
LARGEST_PICTURE = 24 * 1024 * 1024
"""Bytes as it is sent."""


def own(services: Services, actor: Actor, slug: str, name: str, number: int) -> wire.OwnSignOffs:
    """The checklists that are for a build, with what one has ticked of them."""
    with begin(services, actor) as uow:
        build = _installable(uow, slug, name, number)
        mine = {r.checklist: r for r in uow.session.scalars(_mine(uow, build))}
        return wire.OwnSignOffs(
            items=[_out(uow, build, c, mine.get(c.name)) for c in checklists_for(uow.session, build)]
        )


def save(
    services: Services, actor: Actor, slug: str, name: str, number: int, checklist: str, asked: wire.SignOffIn
) -> wire.OwnSignOff:
    """As far as it is; with `finish` it is one's word. Raises `Refused` for a finish with a point that is not ticked, and
    `Conflict` for one that is finished: it is reopened first."""
    with begin(services, actor) as uow:
        build = _installable(uow, slug, name, number)
        found = _must_find(uow, build, checklist)
        ticks = [Tick(t.point, t.verdict, t.note.strip(), tuple(t.pictures)) for t in asked.ticks]
        check_ticks(found, ticks)
        must_be_own(uow, build, {p for t in ticks for p in t.pictures})
        row = uow.session.scalar(
            _mine(uow, build).where(SignOffRow.checklist == checklist).with_for_update(of=SignOffRow)
        )
        state = row.state if row is not None else SignOffState.UNFINISHED
        event = SignOffEvent.FINISH if asked.finish else SignOffEvent.SAVE
        state = advance(TRANSITIONS, state, event, f"your sign-off of {build.name}")
        if asked.finish:
            must_be_whole(found, ticks)
        lists = _number(uow, build)
        if row is None:
            row = SignOffRow(build=build, checklist=checklist, person_id=actor.principal, created_at=uow.now)
            uow.session.add(row)
        row.state, row.ticks, row.device, row.changed_at = state, ticks, asked.device, uow.now
        row.finished_at = uow.now if asked.finish else None
        row.checklists = lists
        if asked.finish:
            failed = failed_points(ticks)
            said = ", ".join(failed) or "nothing"
            audit.record(uow, "sign-off.finish", build.name, slug, checklist=checklist, failed=said)
        uow.session.flush()
        return _out(uow, build, found, row)


def reopen(services: Services, actor: Actor, slug: str, name: str, number: int, checklist: str) -> wire.OwnSignOff:
    """It counts for nothing until it is finished again."""
    with begin(services, actor) as uow:
        build = _installable(uow, slug, name, number)
        found = _must_find(uow, build, checklist)
        row = uow.session.scalar(
            _mine(uow, build).where(SignOffRow.checklist == checklist).with_for_update(of=SignOffRow)
        )
        if row is None:
            raise NotFound("sign-off.none", f"you have not begun {checklist} for {build.name}", where="checklist")
        row.state = advance(TRANSITIONS, row.state, SignOffEvent.REOPEN, f"your sign-off of {build.name}")
        row.changed_at, row.finished_at = uow.now, None
        audit.record(uow, "sign-off.reopen", build.name, slug, checklist=checklist)
        return _out(uow, build, found, row)


def add_picture(services: Services, actor: Actor, slug: str, name: str, number: int, data: bytes) -> wire.MadePicture:
    """Read in a process apart, made smaller, upright, and without where it was taken. Raises `Invalid`."""
    if len(data) > LARGEST_PICTURE:
        said = f"the picture is {len(data) / 1e6:.1f} MB, and at most {LARGEST_PICTURE / 1e6:.1f} MB are taken"
        raise Invalid("picture.too-large", said)
    with begin(services, actor) as uow:
        build = _installable(uow, slug, name, number)
        rows = select(func.count()).select_from(TesterPictureRow)
        rows = rows.where(TesterPictureRow.person_id == actor.principal, TesterPictureRow.title_id == build.title_id)
        if (uow.session.scalar(rows) or 0) >= MOST_PICTURES:
            raise Refused("picture.many", f"you have sent {MOST_PICTURES:,} pictures for {slug} already")
    photo = QUICK.read(make_photo, data)
    with begin(services, actor) as uow:
        row = TesterPictureRow(
            title_id=build.title_id, person_id=actor.principal, data=photo.data, width=photo.width,
            height=photo.height, created_at=uow.now,
        )  # fmt: skip
        uow.session.add(row)
        uow.session.flush()
        return wire.MadePicture(id=str(row.id), width=row.width, height=row.height)


def get_picture(services: Services, actor: Actor, picture: str) -> bytes:
    """A JPEG: one's own, or anybody's for who reads the studio."""
    with begin(services, actor) as uow:
        row = uow.session.get(TesterPictureRow, uuid.UUID(picture))
        if row is None or not (may(actor.role, Act.READ) or row.person_id == actor.principal):
            raise NotFound("picture.none", "there is no such picture of yours")
        return row.data


def failed_before(uow: UnitOfWork, build: BuildRow, checklist: str) -> frozenset[str]:
    """Points that failed, for anybody, on the newest earlier build for the platform that somebody finished this checklist for."""
    rows = (
        select(SignOffRow)
        .join(BuildRow, BuildRow.id == SignOffRow.build_id)
        .where(BuildRow.title_id == build.title_id, BuildRow.platform == build.platform, BuildRow.number < build.number)
        .where(SignOffRow.checklist == checklist, SignOffRow.state == SignOffState.FINISHED)
        .order_by(BuildRow.number.desc())
        .limit(50)
    )
    found = list(uow.session.scalars(rows))
    newest = found[0].build_id if found else None
    return frozenset(point for r in found if r.build_id == newest for point in failed_points(r.ticks))


def _installable(uow: UnitOfWork, slug: str, name: str, number: int) -> BuildRow:
    return find_live(uow, must_install(uow, slug, name).id, number)


def _mine(uow: UnitOfWork, build: BuildRow) -> Select[SignOffRow]:
    return select(SignOffRow).where(SignOffRow.build_id == build.id, SignOffRow.person_id == uow.actor.principal)


def _must_find(uow: UnitOfWork, build: BuildRow, name: str) -> Checklist:
    lists = checklists_for(uow.session, build)
    found = next((c for c in lists if c.name == name), None)
    if found is None:
        known = ", ".join(c.name for c in lists) or "none"
        hint = f"For it there is: {known}."
        raise NotFound("checklist.unknown", f"no checklist {name!r} is for {build.name}", where="checklist", hint=hint)
    return found


def must_be_own(uow: UnitOfWork, build: BuildRow, pictures: set[str]) -> None:
    rows = select(TesterPictureRow.id).where(
        TesterPictureRow.person_id == uow.actor.principal, TesterPictureRow.title_id == build.title_id
    )
    there = {str(i) for i in uow.session.scalars(rows.where(TesterPictureRow.id.in_([uuid.UUID(p) for p in pictures])))}
    if pictures - there:
        raise NotFound("picture.none", "there is no such picture of yours", where="ticks")


def _number(uow: UnitOfWork, build: BuildRow) -> int:
    newest = newest_checklists(uow.session, build.title_id)
    return newest.number if newest is not None else 0


def _out(uow: UnitOfWork, build: BuildRow, checklist: Checklist, row: SignOffRow | None) -> wire.OwnSignOff:
    failed = failed_before(uow, build, checklist.name)
    known = {p.name for p in checklist.points}
    ticks = [t for t in row.ticks if t.point in known] if row is not None else []
    return wire.OwnSignOff(
        checklist=describe(checklist, order(checklist.points, failed), failed),
        state=row.state if row is not None else None,
        ticks=[tick_out(t) for t in ticks],
        device=row.device if row is not None else "",
        changed_at=row.changed_at if row is not None else None,
        finished_at=row.finished_at if row is not None else None,
    )


def tick_out(tick: Tick) -> wire.TickIn:
    return wire.TickIn(point=tick.point, verdict=tick.verdict, note=tick.note, pictures=list(tick.pictures))
