"""Where a build's content lies, as a device is told: chunks in packs that it may read, and differences against what it has."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select

from rampa.core.content.layout.life import LayoutState
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.pack.places import ChunkPlaces
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.difference_place import DifferencePlace, fitting
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.content.patch.sets import missing_chunks
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.tree import Tree
from rampa.core.content.visibility import Visibility
from rampa.core.errors import NotFound
from rampa.db import BuildRow, LayoutPackRow, LayoutRow, PackRow, StoreStateRow
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.content.chains import NO_WAY, Way, differences_along, way_between
from rampa.operations.content.copies import locate, locate_for_players
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.content.stored_trees import build_tree, find_ready, symbols_manifest
from rampa.operations.content.visibility import show, visibility_of
from rampa.schema.builds import builds as wire

_locations = ResultCache(12)


@dataclass(frozen=True)
class Start:
    """The build that an update starts from, and its depots that are installed; None: those of `build_tree`."""

    build: BuildRow
    depots: tuple[str, ...] | None = None


def build_locations(
    services: Services, build: BuildRow, start: Start | None = None, depots: tuple[str, ...] | None = None
) -> tuple[Locations, bytes]:
    """Where the build's chunks lie, decoded and as a device gets them; from a start, those that it lacks, and differences."""
    with begin(services) as uow:
        way = way_between(uow, build, start.build) if start else NO_WAY
        epoch = uow.session.scalar(select(StoreStateRow.epoch)) or 0
        least = visibility_of(uow, build)

    def make() -> tuple[Locations, bytes]:
        new = build_tree(services, build, depots)
        old = build_tree(services, start.build, start.depots) if start else None
        wanted = missing_chunks(old, new) if old else new.chunks
        chunks = _places(services, wanted.digests, least)
        if len(chunks) < len(wanted.digests):
            # Placed a moment ago, or lowered for another's sake: it is brought there now rather than refused.
            show(services, build.id)
            chunks = _places(services, wanted.digests, least)
        differences = _differences(services, start, way, new, old) if start and old else ()
        delivery = _for_players(services, build, wanted.digests, least)
        price = services.layout.price if len(delivery) else 0
        located = Locations(chunks, differences, start.build.number if start else 0, delivery, price)
        return located, locations_format.encode(located, new, old)

    # Everything that the answer depends on, so that a cached one is never wrong: the store packed again, differences
    # made.
    begun = start and (start.build.id, start.depots)
    key = (services.store, build.id, depots, begun, way.packs, epoch, least)
    return _locations.get(key, make)


def _places(services: Services, digests: Iterable[bytes], least: Visibility) -> ChunkPlaces:
    with begin(services) as uow:
        return locate(uow, digests, least)


def _for_players(services: Services, build: BuildRow, digests: Digests, least: Visibility) -> ChunkPlaces:
    """In the build's own packs for players; until they are ready, in those of the newest build that has some."""
    with begin(services) as uow:
        layout = layout_for(uow, build)
        if layout is None:
            return NO_PLACES
        if layout == build.id:
            return locate_for_players(uow, layout, digests, least, plain_only=False)
        # Its frames bring content of that build along: only what everybody may read, under nobody's key.
        return locate_for_players(uow, layout, digests, max(least, Visibility.EVERYBODY), plain_only=True)


def layout_for(uow: UnitOfWork, build: BuildRow) -> uuid.UUID | None:
    """The build whose packs for players serve this one's: itself, or the newest one whose packs everybody may read."""
    ready = select(LayoutRow.build_id).join(BuildRow, BuildRow.id == LayoutRow.build_id)
    ready = ready.where(LayoutRow.state == LayoutState.READY)
    ready = ready.where(BuildRow.title_id == build.title_id, BuildRow.platform == build.platform)
    inside = select(LayoutPackRow.build_id).join(PackRow, PackRow.digest == LayoutPackRow.pack_digest)
    open_ = LayoutRow.build_id.in_(inside.where(PackRow.visibility >= Visibility.EVERYBODY))
    own = BuildRow.id == build.id
    return uow.session.scalar(ready.where(own | open_).order_by(own.desc(), BuildRow.number.desc()).limit(1))


def _differences(services: Services, start: Start, way: Way, new: Tree, old: Tree) -> tuple[DifferencePlace, ...]:
    """Those that fit what the device chose; they were made for one that takes everything."""
    return fitting(differences_along(services, way), new, old, build_tree(services, start.build))


def locations_for(services: Services, slug: str, number: int, query: wire.LocationsQuery) -> bytes:
    """For a device that has the build `base` (0: nothing); one that is not known any more counts as nothing."""
    build = find_ready(services, slug, number)
    base = _base(services, slug, query.base, build)
    start = Start(base, _names(query.base_depots)) if base else None
    located, encoded = build_locations(services, build, start, _names(query.depots))
    if query.version >= located.version:
        return encoded
    new = build_tree(services, build, _names(query.depots))
    old = build_tree(services, base, start.depots) if start and base else None
    return locations_format.encode(located.readable(query.version), new, old)


def _names(text: str) -> tuple[str, ...] | None:
    return tuple(text.split(",")) if text else None


def _base(services: Services, slug: str, number: int, build: BuildRow) -> BuildRow | None:
    if not number or number == build.number:
        return None
    try:
        return find_ready(services, slug, number)
    except NotFound:
        return None


def symbols_locations(services: Services, slug: str, number: int) -> bytes:
    tree = manifest_format.decode(symbols_manifest(services, slug, number)).tree
    with begin(services) as uow:
        found = locate(uow, tree.chunks.digests)
    return locations_format.encode(Locations(found), tree)
