"""Checking the whole store: every pack against its digest, every chunk that a manifest names. Goes on after any interruption."""

from __future__ import annotations

import time

from blake3 import blake3
from sqlalchemy import func, select

from rampa.core.build.life import BuildState
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.errors import NotFound, RampaError
from rampa.core.store.check_life import CheckEvent, CheckState
from rampa.db import BuildRow, ChunkRow, DifferenceSetRow, FrameRow, PackRow, StoreCheckRow, queue
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, service_actor, transition
from rampa.operations.content.arrival import chunk_sizes, forget_pack
from rampa.operations.store.needed import build_chunks
from rampa.schema import store as wire

AT_ONCE = 5.0
"""Seconds of work between two times that the progress is written down."""
PIECE = 4 * 1024 * 1024
MOST_PROBLEMS = 1000
AGAIN = (
    "Run `rampa store check --fix`, then make the build again from its folder or commit: only what is missing travels."
)


def start(services: Services, actor: Actor, fix: bool) -> wire.StoreCheckOut:
    """A check that runs already is gone on with."""
    with begin(services, actor) as uow:
        row = uow.session.scalar(
            select(StoreCheckRow).where(StoreCheckRow.state == CheckState.RUNNING).with_for_update()
        )
        if row is None:
            packs, size = uow.session.execute(select(func.count(), func.coalesce(func.sum(PackRow.size), 0))).one()
            row = StoreCheckRow(
                state=CheckState.RUNNING,
                fix=fix,
                cursor=b"",
                packs=packs,
                size=int(size),
                problems=[],
                asked_by=actor.name,
                started_at=services.now(),
                packs_done=0,
                size_done=0,
            )
            uow.session.add(row)
            uow.session.flush()
            audit.record(uow, "store.check", "store", "", fix=fix)
        queue.put(uow.session, "check_store", queue.CONTENT, lock="check_store", check=row.id)
        return _out(row)


def latest(services: Services) -> wire.StoreCheckOut:
    """Raises `NotFound` before the first one."""
    with begin(services) as uow:
        row = uow.session.scalar(select(StoreCheckRow).order_by(StoreCheckRow.id.desc()).limit(1))
        if row is None:
            raise NotFound("check.none", "the store was never checked", hint="Check it: rampa store check")
        return _out(row)


def cancel(services: Services, actor: Actor) -> wire.StoreCheckOut:
    with begin(services, actor) as uow:
        row = uow.session.scalar(
            select(StoreCheckRow).where(StoreCheckRow.state == CheckState.RUNNING).with_for_update()
        )
        if row is None:
            raise NotFound("check.none", "no check is running")
        transition(uow, row, CheckEvent.CANCEL)
        return _out(row)


def go_on(services: Services, check: int) -> None:
    """For the queue: works until everything is checked or the check was cancelled."""
    while _some(services, check):
        pass


def _some(services: Services, check: int) -> bool:
    """A few seconds of it. Returns whether there is more."""
    with begin(services) as uow:
        row = uow.session.get(StoreCheckRow, check)
        if row is None or row.state != CheckState.RUNNING:
            return False
        cursor, fix = row.cursor, row.fix
        packs = uow.session.execute(
            select(PackRow.digest, PackRow.size).where(PackRow.digest > cursor).order_by(PackRow.digest).limit(2000)
        ).all()
    # Only as much as is read in some seconds, then written down: a restart loses that much and no more.
    # Read without a transaction: a terabyte takes hours, and the database must not wait for it.
    ended = time.monotonic() + AT_ONCE
    found: list[wire.StoreProblem] = []
    done = size = 0
    for digest, length in packs:
        problem = _pack_problem(services, digest, length)
        if problem:
            found.append(_broken(services, digest, problem, fix))
        done, size, cursor = done + 1, size + length, digest
        if time.monotonic() > ended:
            break
    last = done == len(packs) and len(packs) < 2000
    if last:
        found += _manifest_problems(services)
    with begin(services, service_actor("the check of the store")) as uow:
        row = uow.session.get(StoreCheckRow, check, with_for_update=True)
        if row is None or row.state != CheckState.RUNNING:
            return False
        row.cursor, row.packs_done, row.size_done = cursor, row.packs_done + done, row.size_done + size
        row.problems = [*row.problems, *found][:MOST_PROBLEMS]
        if last:
            transition(uow, row, CheckEvent.FINISH)
    return not last


def _pack_problem(services: Services, digest: bytes, size: int) -> str:
    hasher, at = blake3(), 0
    try:
        while at < size:
            piece = services.store.read_pack(digest, at, min(PIECE, size - at))
            if not piece:
                return f"it ends after {at} of {size} bytes"
            hasher.update(piece)
            at += len(piece)
    except NotFound:
        return "it is not there"
    except (RampaError, OSError) as error:
        return f"it cannot be read ({error})"
    return "" if hasher.digest() == digest else "its bytes are not what its digest says"


def _broken(services: Services, digest: bytes, problem: str, fix: bool) -> wire.StoreProblem:
    """With `fix`, what the pack holds counts as missing from now on: the next upload of the same content brings it."""
    with begin(services) as uow:
        # Asked before the pack is forgotten: afterwards nobody knows whom it hurt.
        builds = _builds_with(uow, digest)
        if fix:
            forget_pack(uow, digest)
    if fix:
        services.store.remove_pack(digest)
    advice = f"Make again: {', '.join(builds)}." if fix and builds else AGAIN if builds else "Nothing needs it."
    return wire.StoreProblem(what="pack", name=digest.hex(), problem=problem, builds=builds, advice=advice)


def _builds_with(uow: UnitOfWork, pack: bytes) -> list[str]:
    held = set(
        uow.session.scalars(
            select(ChunkRow.digest).join(FrameRow, FrameRow.id == ChunkRow.frame_id).where(FrameRow.pack_digest == pack)
        )
    )
    out = []
    for build in uow.session.scalars(
        select(BuildRow).where(BuildRow.state == BuildState.READY).order_by(BuildRow.number)
    ):
        if not held.isdisjoint(_chunks(uow.services, build)):
            out.append(build.name)
    return out


def _chunks(services: Services, build: BuildRow) -> set[bytes]:
    try:
        return build_chunks(services, build)
    except RampaError:
        return set()


def _manifest_problems(services: Services) -> list[wire.StoreProblem]:
    """Manifests that are not there or not what they were, and builds that name chunks which no pack holds."""
    out = []
    with begin(services) as uow:
        builds = list(
            uow.session.scalars(select(BuildRow).where(BuildRow.state == BuildState.READY).order_by(BuildRow.number))
        )
        for build in builds:
            wrong = [w for d in build.depots if (w := _manifest_problem(services, d.manifest))]
            missing = 0
            if not wrong:
                wanted = _chunks(services, build)
                missing = len(wanted) - len(chunk_sizes(uow, list(wanted)))
            problem = wrong[0] if wrong else f"{missing:,} of its chunks are in no pack" if missing else ""
            if problem:
                name = build.name
                out.append(wire.StoreProblem(what="build", name=name, problem=problem, builds=[name], advice=AGAIN))
        for row in uow.session.scalars(select(DifferenceSetRow).where(DifferenceSetRow.pack.is_not(None))):
            problem = _pack_problem(services, row.pack or b"", row.size)
            if problem:
                advice = "Devices take plain chunks instead. Make it again: rampa update prepare --again."
                name = (row.pack or b"").hex()
                out.append(wire.StoreProblem(what="differences", name=name, problem=problem, builds=[], advice=advice))
    return out


def _manifest_problem(services: Services, digest: bytes) -> str:
    try:
        data = services.store.manifest(digest)
    except NotFound:
        return f"the manifest {digest.hex()[:12]} is not there"
    except (RampaError, OSError) as error:
        return f"the manifest {digest.hex()[:12]} cannot be read ({error})"
    same = manifest_format.digest_of(data) == digest
    return "" if same else f"the manifest {digest.hex()[:12]} is not what its digest says"


def _out(row: StoreCheckRow) -> wire.StoreCheckOut:
    return wire.StoreCheckOut(
        state=row.state,
        fix=row.fix,
        packs=row.packs,
        packs_done=row.packs_done,
        size=row.size,
        size_done=row.size_done,
        problems=list(row.problems),
        asked_by=row.asked_by,
        started_at=row.started_at,
        ended_at=row.ended_at,
    )
