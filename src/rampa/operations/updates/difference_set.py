"""One update's differences, made in the background: within the budget, each verified, kept where devices find them."""

from __future__ import annotations

import tempfile
import uuid
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import BinaryIO

from blake3 import blake3
from sqlalchemy import func, select

from rampa.core.build.life import BuildState
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch import maker
from rampa.core.content.patch.life import DifferenceEvent, DifferenceState
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.content.patch.sets import Budget, MadeSet, make_set
from rampa.core.content.tree.tree import Tree
from rampa.db import BuildRow, DifferenceSetRow
from rampa.operations.base import Services, UnitOfWork, begin, service_actor, transition
from rampa.operations.content.places import build_locations
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.content.visibility import is_offered
from rampa.system import CLOCK

PIECE = 1024 * 1024
PAYLOAD_ROOM = 128 * 1024 * 1024
"""The one difference that crosses the budget may have this many bytes."""


def make(services: Services, new_id: str, old_id: str) -> None:
    """One update's differences, for the queue. Making them twice gives the same."""
    key = (uuid.UUID(new_id), uuid.UUID(old_id))
    with begin(services) as uow:
        row = uow.session.get(DifferenceSetRow, key)
        builds = [uow.session.get(BuildRow, k) for k in key]
        allowed = _left(uow, key[0])
    new, old = builds
    if row is None or row.state != DifferenceState.WAITING or new is None or old is None:
        return
    if new.state != BuildState.READY or old.state != BuildState.READY:
        return
    _store(services, new, old, allowed)


def _left(uow: UnitOfWork, new: uuid.UUID) -> Budget:
    """Of what all differences of a build may take: those that most devices need came first."""
    row = DifferenceSetRow
    spent = select(func.coalesce(func.sum(row.seconds), 0.0), func.coalesce(func.sum(row.size), 0))
    seconds, size = uow.session.execute(spent.where(row.new_id == new)).one()
    whole = uow.services.budget
    return replace(whole, seconds=max(0.0, whole.seconds - seconds), size=max(0, whole.size - int(size)))


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
        offered = is_offered(uow, new)
    if digest and offered:
        services.store.offer_pack(digest)


def _make(services: Services, trees: tuple[Tree, Tree], new: BuildRow, old: BuildRow, keep, allowed: Budget) -> MadeSet:  # type: ignore[no-untyped-def]
    sources = StoredFileBytes(services, trees[0]), StoredFileBytes(services, trees[1])
    locations = build_locations(services, new)[0]
    return make_set(trees[1], trees[0], sources[1].read, sources[0].read, locations, keep, CLOCK, allowed)


def _pieces(file: BinaryIO) -> Iterator[bytes]:
    while piece := file.read(PIECE):
        yield piece


def _unchecked(path: Path, size: int) -> None:
    """Each difference was applied before it was kept."""
