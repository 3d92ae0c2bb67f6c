"""Removing old builds by a title's policy, shown before it is done. What they alone needed is collected afterwards."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.build.life import BuildEvent, BuildState
from rampa.core.build.retention import Policy, RetentionCandidate, sort_out
from rampa.core.errors import Conflict
from rampa.db import BuildRow, PackRow, PlacementRow, SubmissionRow, TitleRow, find_title, queue
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, transition
from rampa.operations.builds.views import summary
from rampa.operations.store.needed import needed_chunks, packs_of
from rampa.schema.builds import changes as wire

BATCH = 5000


def preview(services: Services, slug: str, asked: wire.RetentionPolicy | None) -> wire.RetentionOut:
    """What would go under the title's policy, or under the one that is asked about."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        policy = asked or wire.RetentionPolicy(keep_newest=title.keep_newest, keep_days=title.keep_days)
        return _sorted_out(uow, title, policy)


def set_policy(services: Services, actor: Actor, slug: str, asked: wire.RetentionPolicy) -> wire.RetentionOut:
    """Removes nothing by itself."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        title.keep_newest, title.keep_days = asked.keep_newest, asked.keep_days
        audit.record(uow, "retention.set", slug, slug, newest=asked.keep_newest, days=asked.keep_days)
        return _sorted_out(uow, title, asked)


def apply(services: Services, actor: Actor, slug: str, expected: list[int]) -> wire.RetentionOut:
    """Removes what the preview showed; when that is not what would go now, nothing is removed."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        policy = wire.RetentionPolicy(keep_newest=title.keep_newest, keep_days=title.keep_days)
        out = _sorted_out(uow, title, policy)
        numbers = [b.number for b in out.removes]
        if numbers != sorted(expected):
            raise Conflict(
                "retention.moved", "other builds would go now than were shown", hint="Look again, then confirm."
            )
        for build in uow.session.scalars(
            select(BuildRow).where(BuildRow.title_id == title.id, BuildRow.number.in_(numbers))
        ):
            transition(uow, build, BuildEvent.REMOVE)
        if numbers:
            audit.record(uow, "retention.remove", slug, slug, builds=numbers, frees=out.frees)
            queue.put(uow.session, "collect_store", queue.CONTENT, lock="collect")
        return out


def _sorted_out(uow: UnitOfWork, title: TitleRow, policy: wire.RetentionPolicy) -> wire.RetentionOut:
    placed = {*uow.session.scalars(select(PlacementRow.build_id)), *uow.session.scalars(select(SubmissionRow.build_id))}
    columns = (BuildRow.number, BuildRow.profile, BuildRow.created_at, BuildRow.pinned, BuildRow.id)
    rows = uow.session.execute(
        select(*columns).where(BuildRow.title_id == title.id, BuildRow.state == BuildState.READY)
    )
    found = [RetentionCandidate(n, profile, made, pinned, key in placed) for n, profile, made, pinned, key in rows]
    goes, stays = sort_out(found, Policy(policy.keep_newest, policy.keep_days), uow.now)
    builds = list(
        uow.session.scalars(
            select(BuildRow).where(BuildRow.title_id == title.id, BuildRow.number.in_(goes)).order_by(BuildRow.number)
        )
    )
    return wire.RetentionOut(
        policy=policy,
        removes=[summary(b, []) for b in builds],
        keeps=[wire.KeptBuild(number=n, why=why) for n, why in sorted(stays.items())],
        frees=sum(size for _, size in _unneeded(uow, {b.id for b in builds})) if builds else 0,
    )


def _unneeded(uow: UnitOfWork, without: set[object]) -> list[tuple[bytes, int]]:
    """(digest, size) of packs that hold nothing that is needed, if the builds `without` were gone."""
    # Of all titles' builds: a chunk can be needed elsewhere.
    packs = packs_of(uow, needed_chunks(uow, without))
    return [(d, size) for d, size in uow.session.execute(select(PackRow.digest, PackRow.size)) if d not in packs]
