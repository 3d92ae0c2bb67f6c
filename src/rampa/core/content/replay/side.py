"""A store and a device that live by one set of rules, release after release."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from rampa.core.content.depots.choice import chosen
from rampa.core.content.depots.depots import split
from rampa.core.content.layout.frames import plan_frames
from rampa.core.content.layout.groups import groups_of, together
from rampa.core.content.layout.order import READ, order_of, reader_of
from rampa.core.content.layout.side_by_side import side_by_side
from rampa.core.content.layout.ways import MIB, Way
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack.filter_choice import Shape, shape_in
from rampa.core.content.pack.filters import Filter
from rampa.core.content.pack.places import ChunkPlaces, PlacesBuilder
from rampa.core.content.pack.shared_frames import places, shared_frames
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch import manifest_difference
from rampa.core.content.patch.difference_place import fitting
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.content.patch.sets import missing_chunks
from rampa.core.content.replay.frame_sizes import FrameSizes
from rampa.core.content.replay.packs import ThoughtPacks
from rampa.core.content.replay.release import Cost, Release, ReplayBounds, SideCost
from rampa.core.content.replay.rules import ReplayRules
from rampa.core.content.tree.columns import Numbers, view
from rampa.core.content.tree.merge import merge
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.content.tree.tree import Tree
from rampa.core.install.plan import plan_update

WayOf = Callable[[int], tuple[Way, frozenset[Filter]]]
"""By the most MiB in a frame: how packs for players are made, and the filters that pay."""


@dataclass(frozen=True)
class _Held:
    """What a device has that took a release."""

    number: int
    tree: Tree
    manifests: Mapping[str, bytes]


class ReplaySide:
    """A store and a device that live by one set of rules."""

    def __init__(
        self, sizes: FrameSizes, threads: ThreadPoolExecutor, way_of: WayOf | None, bounds: ReplayBounds
    ) -> None:
        self._sizes, self._threads, self._way_of, self._bounds = sizes, threads, way_of, bounds
        self._small = NO_PLACES
        self._before: _Held | None = None
        self._count = 0

    def work(self, release: Release) -> int:
        """Raw bytes that will be looked at."""
        sizes = view(release.source.chunks.sizes)
        return int(sizes[self._missing(release.source)].sum()) + (int(sizes.sum()) if self._way_of else 0)

    def _missing(self, tree: Tree) -> Numbers:
        """The numbers of the chunks that the store lacks."""
        return np.flatnonzero(self._small.digests.find_all(tree.chunks.digests) < 0)

    def add(self, release: Release, rules: ReplayRules, on: Callable[[int], None]) -> SideCost:
        self._count += 1
        packed = self._pack(release, rules, on)
        depots, undelivered = split(release.source, rules.depots)
        delivery, players = NO_PLACES, 0
        if self._way_of:
            delivery, players = self._lay_out(release, rules, depots, self._way_of(rules.frame), on)
        names = chosen({rule.name: rule.selector for rule in rules.depots}, self._bounds.choice)
        now = _Held(
            release.number,
            merge(depots[name] for name in names),
            {name: _manifest(name, depots[name]) for name in names},
        )
        fresh = self._cost(release, now, None, delivery)
        update = self._cost(release, now, self._before, delivery) if self._before else None
        self._before = now
        return SideCost(fresh, update, packed, players, len(undelivered))

    def _pack(self, release: Release, rules: ReplayRules, on: Callable[[int], None]) -> int:
        """As an upload does: the chunks that the store lacks."""
        tree, read = release.source, release.reader(release.source)
        missing = tree.chunks.digests.take(self._missing(tree))
        frames = shared_frames(places(tree, missing), rules.packing, lambda path: _shape(read, tree, path))
        packs, grown = ThoughtPacks(f"{self._count} small"), PlacesBuilder(self._small)
        for frame, stored in self._sizes.of_shared(self._threads, frames, read, on):
            grown.add_frame(packs.place(stored, frame.raw), (p.chunk for p in frame.places))
        self._small = grown.places()
        return packs.stored

    def _lay_out(
        self,
        release: Release,
        rules: ReplayRules,
        depots: Mapping[str, Tree],
        how: tuple[Way, frozenset[Filter]],
        on: Callable[[int], None],
    ) -> tuple[ChunkPlaces, int]:
        whole = side_by_side(depots)
        read, (way, used) = release.reader(whole), how
        classes = together({rule.name: rule.selector for rule in rules.depots}, release.choices)
        groups = groups_of(whole, depots, classes, rules.apart).numbers
        plans = list(plan_frames(whole, order_of(whole, read), groups, way.frame * MIB, used))
        packs, building = ThoughtPacks(f"{self._count} players"), PlacesBuilder()
        for plan, stored in zip(plans, self._sizes.of_players(self._threads, plans, read, way, on), strict=True):
            building.add_frame(packs.place(stored, plan.size, plan.group), plan.chunks)
        return building.places(), packs.stored

    def _cost(self, release: Release, now: _Held, before: _Held | None, delivery: ChunkPlaces) -> Cost:
        old = before.tree if before else None
        wanted = (missing_chunks(old, now.tree) if old else now.tree.chunks).digests
        usable = fitting(release.differences, now.tree, old, release.meant) if old else ()
        small, large = self._small.only(wanted), delivery.only(wanted)
        locations = Locations(
            small, usable, before.number if before else 0, large, self._bounds.price if len(large) else 0
        )
        plan = plan_update(now.tree, local_content(old) if old else LocalContent(), locations)
        metadata = len(locations_format.encode(locations, now.tree, old)) + release.statement
        metadata += _manifest_bytes(now.manifests, before.manifests if before else {})
        return Cost(plan.download + metadata, plan.gets)


def _manifest(depot: str, tree: Tree) -> bytes:
    return manifest_format.encode(Manifest(depot, tree, DEFAULT))


def _manifest_bytes(new: Mapping[str, bytes], held: Mapping[str, bytes]) -> int:
    digests = [{d: manifest_format.digest_of(m) for d, m in side.items()} for side in (new, held)]
    size = 0
    for depot, base in manifest_difference.travelling(*digests):
        difference = manifest_difference.make(held[depot], new[depot]) if base else b""
        size += len(difference) or len(new[depot])
    return size


def _shape(read: READ, tree: Tree, path: str) -> Shape | None:
    file = tree.files.find(path)
    return shape_in(reader_of(read, path, file.size)) if file else None
