"""Differences for updates: asked for when a build is placed, made in the background, offered once they are verified."""

from __future__ import annotations

import os
import tempfile
import uuid
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from blake3 import blake3
from sqlalchemy import delete, or_, select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.build.life import BuildState
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch import maker
from rampa.core.content.patch.life import NEVER_ASKED, DifferenceEvent, DifferenceState
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.content.patch.sets import Budget, MadeSet, make_set
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Refused
from rampa.core.placement.life import PlacementState
from rampa.db import BuildRow, ChannelRow, DeviceRow, DifferenceSetRow, PlacementRow, UnsealingKeyRow, find_build, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must, service_actor, transition
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.operations.content.stored_trees import build_locations, build_tree, find_ready
from rampa.operations.updates.costs import update_cost
from rampa.schema import updates as wire
from rampa.system import CLOCK

PIECE = 1024 * 1024
PAYLOAD_ROOM = 128 * 1024 * 1024
"""The one difference that crosses the budget may have this many bytes."""


def budget() -> Budget:
    """What the service's owner allows an update: RAMPA_DIFFERENCE_SECONDS and RAMPA_DIFFERENCE_MB; 0 makes none."""
    seconds = float(os.environ.get("RAMPA_DIFFERENCE_SECONDS", "600"))
    return Budget(seconds, int(os.environ.get("RAMPA_DIFFERENCE_MB", "2048")) * 1024 * 1024)


def ask(uow: UnitOfWork, build: BuildRow, old: list[BuildRow]) -> None:
    """Asks for the differences of these updates, with the transaction that makes them likely."""
    unsealing = uow.session.get(UnsealingKeyRow, build.id)
    locked = unsealing is not None and unsealing.unsealed_at is None  # a difference would give away what is encrypted
    for other in old:
        if locked or other.id == build.id or other.state != BuildState.READY:
            continue
        row = {"new_id": build.id, "old_id": other.id, "state": DifferenceState.WAITING, "created_at": uow.now}
        empty = {"rows": b"", "size": 0, "count": 0, "seconds": 0.0, "within": True}
        added = uow.session.execute(
            insert(DifferenceSetRow).values(**row, **empty).on_conflict_do_nothing().returning(DifferenceSetRow.new_id)
        ).scalar()
        if added:
            queue.put(uow.session, "make_differences", queue.CONTENT, new=str(build.id), old=str(other.id))


def likely(uow: UnitOfWork, build: BuildRow) -> list[BuildRow]:
    """The builds that players of the title have on this platform now: live ones, and those that devices reported."""
    live = select(PlacementRow.build_id).join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
    live = live.where(ChannelRow.title_id == build.title_id, PlacementRow.state == PlacementState.LIVE)
    held = select(DeviceRow.build_id).where(DeviceRow.title_id == build.title_id, DeviceRow.build_id.is_not(None))
    rows = select(BuildRow).where(
        or_(BuildRow.id.in_(live), BuildRow.id.in_(held)),
        BuildRow.platform == build.platform,
        BuildRow.state == BuildState.READY,
        BuildRow.id != build.id,
        BuildRow.version_code <= build.version_code,
    )
    return list(uow.session.scalars(rows.order_by(BuildRow.number.desc()).limit(20)))


def make(services: Services, new_id: str, old_id: str) -> None:
    """One update's differences, for the queue. Making them twice gives the same."""
    key = (uuid.UUID(new_id), uuid.UUID(old_id))
    with begin(services) as uow:
        row = uow.session.get(DifferenceSetRow, key)
        builds = [uow.session.get(BuildRow, k) for k in key]
    new, old = builds
    if row is None or row.state != DifferenceState.WAITING or new is None or old is None:
        return
    if new.state != BuildState.READY or old.state != BuildState.READY:
        return
    _store(services, new, old, budget())


def make_now(services: Services, actor: Actor, slug: str, asked: wire.PrepareIn) -> wire.PreparedOut:
    """Asks for an update's differences by hand: made again, even where they were made before."""
    must(actor, Act.PREPARE_UPDATE)
    if not maker.available():
        raise Refused(
            "difference.kernel",
            "this service has no compiled kernel to make differences with",
            hint="Install a C compiler and start it again; updates travel as plain chunks until then.",
        )
    new, old = find_ready(services, slug, asked.new), find_ready(services, slug, asked.old)
    with begin(services, actor) as uow:
        uow.session.execute(
            delete(DifferenceSetRow).where(DifferenceSetRow.new_id == new.id, DifferenceSetRow.old_id == old.id)
        )
        ask(uow, new, [old])
        audit.record(uow, "update.prepare", new.name, slug, old=old.number)
    return prepared(services, slug, asked.new, asked.old)


def prepared(services: Services, slug: str, new_number: int, old_number: int) -> wire.PreparedOut:
    """How far the differences of an update are."""
    with begin(services) as uow:
        new, old = find_build(uow.session, slug, new_number), find_build(uow.session, slug, old_number)
        row = uow.session.get(DifferenceSetRow, (new.id, old.id))
    cost = update_cost(services, new, old)
    return wire.PreparedOut(
        new=new.number,
        old=old.number,
        state=row.state if row else NEVER_ASKED,
        differences=row.count if row else 0,
        size=row.size if row else 0,
        seconds=round(row.seconds, 2) if row else 0.0,
        within_budget=row.within if row else True,
        download=cost.download,
        plain=cost.plain,
    )


def _store(services: Services, new: BuildRow, old: BuildRow, allowed: Budget) -> None:
    trees = build_tree(services, new), build_tree(services, old)
    made, digest = MadeSet(), None
    with tempfile.TemporaryFile(dir=tempfile.gettempdir()) as file:
        hasher = blake3()

        def keep(payload: bytes) -> None:
            hasher.update(payload)
            file.write(payload)

        if maker.available() and allowed.seconds > 0 and allowed.size > 0:
            made = _make(services, trees, new, old, keep, allowed)
        if made.places:
            digest = hasher.digest()
            file.seek(0)
            services.store.put_pack(digest, _pieces(file), allowed.size + PAYLOAD_ROOM, _unchecked)
    places = tuple(p.within(digest) for p in made.places) if digest else ()
    rows = locations_format.encode(Locations(NO_PLACES, places, old.number), *trees) if places else b""
    with begin(services, service_actor("the worker")) as uow:
        row = uow.session.get(DifferenceSetRow, (new.id, old.id), with_for_update=True)
        if row is None:
            return
        transition(uow, row, DifferenceEvent.MAKE if places else DifferenceEvent.SKIP)
        row.pack, row.rows = digest, rows
        row.size, row.count, row.seconds, row.within = made.size, len(places), made.seconds, not made.out_of_budget


def _make(services: Services, trees: tuple[Tree, Tree], new: BuildRow, old: BuildRow, keep, allowed: Budget) -> MadeSet:  # type: ignore[no-untyped-def]
    sources = StoredFileBytes(services, trees[0]), StoredFileBytes(services, trees[1])
    locations = build_locations(services, new)[0]
    return make_set(trees[1], trees[0], sources[1].read, sources[0].read, locations, keep, CLOCK, allowed)


def _pieces(file: BinaryIO) -> Iterator[bytes]:
    while piece := file.read(PIECE):
        yield piece


def _unchecked(path: Path, size: int) -> None:
    """Each difference was applied before it was kept."""


def forget_of(uow: UnitOfWork, gone: list[uuid.UUID]) -> list[bytes]:
    """Drops the differences from and to builds that are no more; returns the packs that nothing points at then."""
    rows = delete(DifferenceSetRow).where(DifferenceSetRow.new_id.in_(gone) | DifferenceSetRow.old_id.in_(gone))
    packs = {p for p in uow.session.scalars(rows.returning(DifferenceSetRow.pack)) if p}
    return list(packs - set(uow.session.scalars(select(DifferenceSetRow.pack).where(DifferenceSetRow.pack.in_(packs)))))
