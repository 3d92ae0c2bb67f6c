"""What an update costs a player: exact, because it is the device's own plan."""

from __future__ import annotations

from rampa.core.content.depots.choice import EVERYTHING, chosen
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.install.plan import plan_update
from rampa.db import BuildRow, DepotRow
from rampa.operations.base import Services
from rampa.operations.content.stored_trees import Start, build_locations, build_tree, manifest_difference, selectors_of
from rampa.schema.channels import CostOut


def update_cost(services: Services, new: BuildRow, old: BuildRow | None) -> CostOut:
    """From `old`, whole and untouched on a device that takes everything, or from nothing."""
    locations, encoded = build_locations(services, new, Start(old) if old else None)
    tree = build_tree(services, new)
    have = local_content(build_tree(services, old)) if old else LocalContent()
    plan = plan_update(tree, have, locations)
    papers = _manifests(services, new, old) + len(new.content.statement or b"")
    metadata = papers + len(encoded)
    plain = plan.download + metadata
    if plan.differences:
        without = Locations(locations.chunks, (), locations.base)
        plain = plan_update(tree, have, without).download + papers + len(locations_format.encode(without, tree))
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
        if depot.manifest in held.values():
            continue
        difference = manifest_difference(services, new, depot.name, held[depot.name]) if depot.name in held else b""
        size += len(difference) or depot.manifest_size
    return size


def _taken(build: BuildRow) -> list[DepotRow]:
    names = chosen(selectors_of(build), EVERYTHING)
    return [d for d in build.depots if d.name in names]
