"""What an update costs a player: exact, because it is the device's own plan."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from sqlalchemy import select, tuple_

from rampa.core.content.depots.choice import EVERYTHING, chosen
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.install.plan import plan_update
from rampa.db import BuildRow, DepotRow, DifferenceSetRow, StoreStateRow
from rampa.operations.base import Services, begin
from rampa.operations.content.places import Start, build_locations
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.content.stored_trees import build_tree, manifest_difference, selectors_of
from rampa.schema.channels import CostOut

_costs = ResultCache(2000)
Pair = tuple[BuildRow, BuildRow | None]
"""A build, and the build that the device has."""


def update_cost(services: Services, new: BuildRow, old: BuildRow | None) -> CostOut:
    """From `old`, whole and untouched on a device that takes everything, or from nothing."""
    return update_costs(services, [(new, old)])[0]


def update_costs(services: Services, pairs: Sequence[Pair]) -> list[CostOut]:
    """In their order. A cost that was worked out once is kept until the store is packed again or differences come."""
    with begin(services) as uow:
        ids = [(new.id, old.id) for new, old in pairs if old]
        key = tuple_(DifferenceSetRow.new_id, DifferenceSetRow.old_id)
        rows = select(DifferenceSetRow.new_id, DifferenceSetRow.old_id, DifferenceSetRow.pack).where(key.in_(ids))
        made = {(new, old): pack for new, old, pack in uow.session.execute(rows)}
        epoch = uow.session.scalar(select(StoreStateRow.epoch)) or 0
    out = []
    for new, old in pairs:
        of = (new.id, old.id if old else None)
        out.append(
            # A million pairs could be asked for; what was worked out once stays, keyed by all that could change it.
            _costs.get(
                (services.store, of, made.get((new.id, old.id)) if old else None, epoch),
                partial(_cost, services, new, old),
            )
        )
    return out


def _cost(services: Services, new: BuildRow, old: BuildRow | None) -> CostOut:
    locations, encoded = build_locations(services, new, Start(old) if old else None)
    tree = build_tree(services, new)
    have = local_content(build_tree(services, old)) if old else LocalContent()
    plan = plan_update(tree, have, locations)
    manifest_bytes = _manifests(services, new, old) + len(new.content.statement or b"")
    metadata = manifest_bytes + len(encoded)
    plain = plan.download + metadata
    if plan.differences:
        without = Locations(locations.chunks, (), locations.base)
        plain = plan_update(tree, have, without).download + manifest_bytes + len(locations_format.encode(without, tree))
    return CostOut(
        download=plan.download + metadata,
        metadata=metadata,
        reused=plan.reused,
        written=plan.written,
        requests=len(plan.requests) + len(plan.differences),
        plain=plain,
        differences=sum(d.stored for d in plan.differences),
        peak_disk=(old.content.size if old else 0) + plan.written,
    )


def _manifests(services: Services, new: BuildRow, old: BuildRow | None) -> int:
    """Bytes of the manifests that travel: by their difference from the same depot's, where there is one."""
    held = {d.name: d.manifest for d in _taken(old)} if old else {}
    size = 0
    for depot in _taken(new):
        # A manifest that the device has, under whatever depot, does not travel.
        if depot.manifest in held.values():
            continue
        difference = manifest_difference(services, new, depot.name, held[depot.name]) if depot.name in held else b""
        size += len(difference) or depot.manifest_size
    return size


def _taken(build: BuildRow) -> list[DepotRow]:
    names = chosen(selectors_of(build), EVERYTHING)
    return [d for d in build.depots if d.name in names]
