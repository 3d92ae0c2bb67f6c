"""The files of one build: what a device needs of it, by the names that it asks for wherever they lie."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from sqlalchemy import select

from rampa.core.content.depots.choice import EVERYTHING, chosen
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.life import DifferenceState
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.delivery import names, places
from rampa.core.delivery.line import SignedFile
from rampa.core.delivery.places import BuildPlaces, UpdatePlaces
from rampa.core.errors import Refused
from rampa.core.install.file_delivery import encode_keys
from rampa.db import BuildRow, DifferenceSetRow, PackRow
from rampa.operations.base import Services, begin
from rampa.operations.content.chains import NO_WAY, Way, differences_along, ways_to
from rampa.operations.content.places import Start, build_locations
from rampa.operations.content.stored_trees import build_tree, manifest_difference, selectors_of
from rampa.operations.signing.content_keys import get_keys
from rampa.operations.updates.differences import MOST_STARTS

NO_FILE = SignedFile("0" * 64, 0)


@dataclass
class BuildFiles:
    """`made`: name -> content; `stored`: name -> size, of what lies in the content store; `places`: the list of places."""

    places: SignedFile = NO_FILE
    made: dict[str, bytes] = field(default_factory=dict)
    stored: dict[str, int] = field(default_factory=dict)

    def add(self, data: bytes) -> SignedFile:
        file = SignedFile.of(data)
        self.made[file.name] = data
        return file


def build_files(services: Services, build: BuildRow) -> BuildFiles:
    """Raises as reading content does."""
    out = BuildFiles()
    packs: set[bytes] = set()
    depots = {}
    for depot in build.depots:
        located, encoded = build_locations(services, build, None, (depot.name,))
        packs |= {frame.pack for places in (located.chunks, located.delivery) for frame in places.frames}
        depots[depot.name] = out.add(encoded)
        out.stored[names.manifest_name(depot.manifest)] = depot.manifest_size
    updates: dict[int, UpdatePlaces] = {}
    manifests: dict[str, dict[str, int]] = {}
    for old, way in _starts(services, build):
        updates[old.number] = _update(services, out, build, old, way)
        _add_manifests(services, out, manifests, build, old)
    keys, sealed = _keys(services, out, build)
    out.add(build.content.statement or b"")
    out.stored |= _sizes(services, packs)
    out.places = out.add(places.encode(BuildPlaces(depots, updates, manifests, keys, sealed)))
    return out


def _starts(services: Services, build: BuildRow) -> list[tuple[BuildRow, Way]]:
    """The builds that updates are written out for: those that somebody asked differences from, and those that chains begin at,
    the newest of them. Others take what a fresh install takes."""
    row = DifferenceSetRow
    tried = select(row.old_id).where(row.new_id == build.id, row.state != DifferenceState.WAITING)
    with begin(services) as uow:
        ways = ways_to(uow, build)
        wanted = select(BuildRow).where(
            BuildRow.id.in_({*ways, *uow.session.scalars(tried)}) & (BuildRow.id != build.id)
        )
        builds = uow.session.scalars(wanted.order_by(BuildRow.number.desc()).limit(MOST_STARTS))
        return [(old, ways.get(old.id, NO_WAY)) for old in builds]


def _update(services: Services, out: BuildFiles, build: BuildRow, old: BuildRow, way: Way) -> UpdatePlaces:
    """Each depot from the one of its name; what crosses depots is for devices that have them all."""
    there = {d.name for d in old.depots}
    used: set[DifferencePlace] = set()
    depots = {}
    for depot in build.depots:
        if depot.name in there:
            one = (depot.name,)
            located, encoded = build_locations(services, build, Start(old, one), one)
            used.update(located.differences)
            depots[depot.name] = out.add(encoded)
    whole = None
    out.stored |= {names.pack_name(step.pack): step.size for step in way.sets}
    every = differences_along(services, way)
    if every and not used.issuperset(every):
        joined = build_tree(services, build), build_tree(services, old)
        # A chain is whole or it is none: what one depot uses of it is there once more.
        left = every if any(d.sources for d in every) else tuple(d for d in every if d not in used)
        whole = out.add(locations_format.encode(Locations(NO_PLACES, left, old.number), *joined))
    return UpdatePlaces(depots, tuple(chosen(selectors_of(old), EVERYTHING)), whole)


def _add_manifests(
    services: Services, out: BuildFiles, known: dict[str, dict[str, int]], build: BuildRow, old: BuildRow
) -> None:
    """Differences of manifests, each against the one of the depot's name."""
    before = {d.name: d.manifest for d in old.depots}
    for depot in build.depots:
        base = before.get(depot.name, depot.manifest)
        data = manifest_difference(services, build, depot.name, base) if base != depot.manifest else b""
        if data:
            out.made[names.manifest_name(depot.manifest, base)] = data
            known.setdefault(depot.manifest.hex(), {})[base.hex()] = len(data)


def _keys(services: Services, out: BuildFiles, build: BuildRow) -> tuple[SignedFile | None, bool]:
    """The file of keys, None where there is none; and whether the content needs keys."""
    try:
        found = get_keys(services, build.title.slug, build.number)
    except Refused:
        return None, True  # what it shares with another build is sealed still
    if not found.keys or not found.unsealing_key:
        return None, bool(found.keys)
    wrapped = {bytes.fromhex(k.id): bytes.fromhex(k.wrapped) for k in found.keys}
    return out.add(encode_keys(bytes.fromhex(found.unsealing_key), wrapped)), True


def _sizes(services: Services, packs: Iterable[bytes]) -> dict[str, int]:
    with begin(services) as uow:
        rows = uow.session.execute(select(PackRow.digest, PackRow.size).where(PackRow.digest.in_(list(packs))))
        return {names.pack_name(digest): size for digest, size in rows}
