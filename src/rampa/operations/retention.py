"""Removing old builds by a title's policy, shown before it is done; sweeping packs that nothing points at any more."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, undefer

from rampa.core.errors import Conflict
from rampa.core.release import build as life
from rampa.core.release.machine import advance
from rampa.core.release.retention import Candidate, Policy, sort_out
from rampa.db import queue
from rampa.db.builds import Build, Bundle
from rampa.db.channels import Placement
from rampa.db.content import Chunk, DifferenceSet, Frame, Pack
from rampa.db.sources import Folder
from rampa.db.titles import Title
from rampa.operations import audit
from rampa.operations.context import Actor, Services
from rampa.operations.describing import summary
from rampa.operations.differences import forget_of
from rampa.operations.reading import manifest_tree, split_digests
from rampa.operations.titles import find_title
from rampa.schema import build_changes as wire

BATCH = 5000


def preview(services: Services, slug: str, asked: wire.RetentionPolicy | None) -> wire.RetentionOut:
    """What would go under the title's policy, or under the one that is asked about."""
    with services.db.transaction() as session:
        title = find_title(session, slug)
        policy = asked or wire.RetentionPolicy(keep_newest=title.keep_newest, keep_days=title.keep_days)
        return _sorted_out(services, session, title, policy)


def set_policy(services: Services, actor: Actor, slug: str, asked: wire.RetentionPolicy) -> wire.RetentionOut:
    """Removes nothing by itself."""
    with services.db.transaction() as session:
        title = find_title(session, slug, lock=True)
        title.keep_newest, title.keep_days = asked.keep_newest, asked.keep_days
        audit.record(
            session, services, actor, "retention.set", slug, slug, newest=asked.keep_newest, days=asked.keep_days
        )
        return _sorted_out(services, session, title, asked)


def apply(services: Services, actor: Actor, slug: str, expected: list[int]) -> wire.RetentionOut:
    """Removes what the preview showed; when that is not what would go now, nothing is removed."""
    with services.db.transaction() as session:
        title = find_title(session, slug, lock=True)
        policy = wire.RetentionPolicy(keep_newest=title.keep_newest, keep_days=title.keep_days)
        out = _sorted_out(services, session, title, policy)
        numbers = [b.number for b in out.removes]
        if numbers != sorted(expected):
            raise Conflict(
                "retention.moved", "other builds would go now than were shown", hint="Look again, then confirm."
            )
        for build in session.scalars(select(Build).where(Build.title_id == title.id, Build.number.in_(numbers))):
            build.state = advance(life.TRANSITIONS, life.State(build.state), life.Event.REMOVE, build.name)
        if numbers:
            audit.record(session, services, actor, "retention.remove", slug, slug, builds=numbers, frees=out.frees)
            queue.put(session, "sweep_packs", queue.SOURCES, lock="sweep")
        return out


def _sorted_out(services: Services, session: Session, title: Title, policy: wire.RetentionPolicy) -> wire.RetentionOut:
    placed = set(session.scalars(select(Placement.build_id)))
    columns = (Build.number, Build.profile, Build.created_at, Build.pinned, Build.id)
    rows = session.execute(select(*columns).where(Build.title_id == title.id, Build.state == life.State.READY))
    found = [Candidate(n, profile, made, pinned, key in placed) for n, profile, made, pinned, key in rows]
    goes, stays = sort_out(found, Policy(policy.keep_newest, policy.keep_days), services.now())
    builds = list(
        session.scalars(select(Build).where(Build.title_id == title.id, Build.number.in_(goes)).order_by(Build.number))
    )
    return wire.RetentionOut(
        policy=policy,
        removes=[summary(b, []) for b in builds],
        keeps=[wire.Kept(number=n, why=why) for n, why in sorted(stays.items())],
        frees=sum(size for _, size in _unneeded(services, session, {b.id for b in builds})) if builds else 0,
    )


def sweep_packs(services: Services) -> int:
    """Forgets packs that no build, bundle or uploaded folder needs; returns the bytes. While a build is open nothing is swept:
    its content may have arrived already, and no manifest names it yet."""
    with services.db.transaction() as session:
        if session.scalar(select(Build.id).where(Build.state == life.State.OPEN).limit(1)):
            return 0
        gone = [*_unneeded(services, session, set()), *_of_gone_builds(services, session)]
        for digest, _ in gone:
            frames = select(Frame.id).where(Frame.pack_digest == digest)
            session.execute(delete(Chunk).where(Chunk.frame_id.in_(frames)))
            session.execute(delete(Frame).where(Frame.pack_digest == digest))
            session.execute(delete(Pack).where(Pack.digest == digest))
    # Rows first, bytes then: a row never points at bytes that are not there.
    for digest, _ in gone:
        services.store.remove_pack(digest)
    return sum(size for _, size in gone)


def _of_gone_builds(services: Services, session: Session) -> list[tuple[bytes, int]]:
    """Differences from or to builds that are no more."""
    rows = select(Build.id).where(Build.state != life.State.READY)
    sizes = dict(session.execute(select(DifferenceSet.pack, DifferenceSet.size)).all())
    return [(pack, sizes[pack]) for pack in forget_of(session, list(session.scalars(rows)))]


def _unneeded(services: Services, session: Session, without: set[object]) -> list[tuple[bytes, int]]:
    """(digest, size) of packs that hold nothing that is needed, if the builds `without` were gone."""
    needed = _needed_chunks(services, session, without)
    packs: set[bytes] = set()
    for at in range(0, len(needed), BATCH):
        rows = select(Frame.pack_digest).join(Chunk, Chunk.frame_id == Frame.id)
        packs |= set(session.scalars(rows.where(Chunk.digest.in_(needed[at : at + BATCH])).distinct()))
    return [(d, size) for d, size in session.execute(select(Pack.digest, Pack.size)) if d not in packs]


def _needed_chunks(services: Services, session: Session, without: set[object]) -> list[bytes]:
    needed: set[bytes] = set()
    builds = session.scalars(select(Build).where(Build.state == life.State.READY))
    for build in builds:
        if build.id in without:
            continue
        manifests = [d.manifest for d in build.depots] + ([build.symbols] if build.symbols else [])
        needed |= _chunks_of(services, manifests)
    for bundle in session.scalars(
        select(Bundle).join(Build).where(Build.state == life.State.READY).options(undefer(Bundle.chunks))
    ):
        if bundle.build_id not in without:
            needed |= set(split_digests(bundle.chunks))
    return list(needed | _chunks_of(services, session.scalars(select(Folder.manifest))))


def _chunks_of(services: Services, manifests: Iterable[bytes]) -> set[bytes]:
    return {c.digest for m in manifests for f in manifest_tree(services, m).files for c in f.chunks}
