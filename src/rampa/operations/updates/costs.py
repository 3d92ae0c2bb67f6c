"""What an update costs a player: exact, because it is the device's own plan."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

from sqlalchemy import select, tuple_

from rampa.core.content.depots.choice import EVERYTHING, chosen
from rampa.core.content.layout.life import UNDER_WAY, LayoutState
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.life import DifferenceState
from rampa.core.content.patch.locations import Locations
from rampa.core.content.patch.manifest_difference import travelling
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.content.visibility import Visibility
from rampa.core.install.plan import plan_update
from rampa.db import BuildRow, DepotRow, DifferenceSetRow, LayoutRow, StoreStateRow
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.content.chains import NO_WAY, StepGraph
from rampa.operations.content.places import Start, build_locations
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.content.stored_trees import build_tree, manifest_difference, selectors_of
from rampa.operations.content.visibility import visibilities_of
from rampa.schema.channels import CostOut

_costs = ResultCache(2000)
Pair = tuple[BuildRow, BuildRow | None]
"""A build, and the build that the device has."""


def update_cost(services: Services, new: BuildRow, old: BuildRow | None) -> CostOut:
    """From `old`, whole and untouched on a device that takes everything, or from nothing."""
    return update_costs(services, [(new, old)])[0]


@dataclass(frozen=True)
class _Made:
    """How far the background's work for a pair is, and who may read the build: all of it changes what a device is told."""

    seen_by: Visibility
    packs: tuple[bytes, ...] = ()
    differences: DifferenceState | None = None
    layout: LayoutState | None = None
    expected: int = 0


def update_costs(services: Services, pairs: Sequence[Pair]) -> list[CostOut]:
    """In their order. A cost that was worked out once is kept until the store is packed again or differences come."""
    with begin(services) as uow:
        made = _made(uow, pairs)
        epoch = uow.session.scalar(select(StoreStateRow.epoch)) or 0
    out = []
    for (new, old), far in zip(pairs, made, strict=True):
        # A million pairs could be asked for; what was worked out once stays, keyed by all that could change it.
        key = (services.store, services.layout.price, new.id, old.id if old else None, far, epoch)
        out.append(_costs.get(key, partial(_cost, services, new, old, far)))
    return out


def _made(uow: UnitOfWork, pairs: Sequence[Pair]) -> list[_Made]:
    ids = [(new.id, old.id) for new, old in pairs if old]
    row, layout = DifferenceSetRow, LayoutRow
    rows = select(row.new_id, row.old_id, row.state).where(tuple_(row.new_id, row.old_id).in_(ids))
    states = {(new, old): state for new, old, state in uow.session.execute(rows)}
    columns = select(layout.build_id, layout.state, layout.expected)
    found = uow.session.execute(columns.where(layout.build_id.in_({new.id for new, _ in pairs})))
    layouts = {build: (state, expected) for build, state, expected in found}
    starts: dict[uuid.UUID, set[uuid.UUID]] = defaultdict(set)
    for new, old in ids:
        starts[new].add(old)
    builds = {new.id: new for new, _ in pairs}
    seen_by = visibilities_of(uow, builds.values())
    places = {(b.title_id, b.platform) for b in builds.values()}
    graphs = {place: StepGraph.load(uow, *place) for place in places} if ids else {}
    ways = {new: graphs[builds[new].title_id, builds[new].platform].ways_to(new, old) for new, old in starts.items()}
    return [
        _Made(
            seen_by[new.id],
            ways[new.id].get(old.id, NO_WAY).packs if old else (),
            states.get((new.id, old.id)) if old else None,
            *layouts.get(new.id, (None, 0)),
        )
        for new, old in pairs
    ]


def _cost(services: Services, new: BuildRow, old: BuildRow | None, far: _Made) -> CostOut:
    locations, encoded = build_locations(services, new, Start(old) if old else None)
    tree = build_tree(services, new)
    have = local_content(build_tree(services, old)) if old else LocalContent()
    plan = plan_update(tree, have, locations)
    manifest_bytes = _manifests(services, new, old) + len(new.content.statement or b"")
    metadata = manifest_bytes + len(encoded)
    download = plan.download + metadata
    plain = download
    if locations.differences or len(locations.delivery):
        without = Locations(locations.chunks, (), locations.base)
        plain = plan_update(tree, have, without).download + manifest_bytes + len(locations_format.encode(without, tree))
    making: list[Literal["differences", "packs for players"]] = []
    if far.differences == DifferenceState.WAITING:
        making.append("differences")
    coming = far.layout in UNDER_WAY
    if coming and not old:
        making.append("packs for players")
    return CostOut(
        download=download,
        metadata=metadata,
        reused=plan.reused,
        written=plan.written,
        requests=plan.gets,
        plain=plain,
        differences=sum(d.stored for d in plan.differences),
        peak_disk=(old.content.size if old else 0) + plan.written + plan.aside,
        making=making,
        expected=min(download, far.expected + metadata) if coming and not old and far.expected else download,
    )


def _manifests(services: Services, new: BuildRow, old: BuildRow | None) -> int:
    """Bytes of the manifests that travel: by their difference from the same depot's, where there is one."""
    depots = {d.name: d for d in _taken(new)}
    held = {d.name: d.manifest for d in _taken(old)} if old else {}
    size = 0
    for depot, base in travelling({name: d.manifest for name, d in depots.items()}, held):
        difference = manifest_difference(services, new, depot, base) if base else b""
        size += len(difference) or depots[depot].manifest_size
    return size


def _taken(build: BuildRow) -> list[DepotRow]:
    names = chosen(selectors_of(build), EVERYTHING)
    return [d for d in build.depots if d.name in names]
