"""What an update costs a player: exact, because it is the device's own plan."""

from __future__ import annotations

from rampa.core.content.plan import LocalContent, local_content, plan_update
from rampa.db.builds import Build
from rampa.operations.context import Services
from rampa.operations.reading import build_locations, build_tree
from rampa.schema.channels import CostOut


def update_cost(services: Services, new: Build, old: Build | None) -> CostOut:
    """From `old`, whole and untouched on the device, or from nothing."""
    locations, encoded = build_locations(services, new)
    have = local_content(build_tree(services, old)) if old else LocalContent()
    plan = plan_update(build_tree(services, new), have, locations)
    held = {d.manifest for d in old.depots} if old else set()
    manifests = sum(d.manifest_size for d in new.depots if d.manifest not in held)
    metadata = manifests + len(encoded) + len(new.statement or b"")
    return CostOut(
        download=plan.download + metadata,
        metadata=metadata,
        reused=plan.reused,
        written=plan.written,
        requests=len(plan.requests),
    )
