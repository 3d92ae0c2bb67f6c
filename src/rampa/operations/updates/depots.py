"""Two builds by depot: what changed, what travels for it, which files cost most for how little change, and why."""

from __future__ import annotations

from collections import Counter

from rampa.core.content.depots.choice import Choice, chosen
from rampa.core.content.depots.weight import why_larger
from rampa.core.content.patch.locations import Locations
from rampa.core.content.patch.reasons import reason
from rampa.core.content.tree.comparison import compare
from rampa.core.content.tree.file_change import FileChange
from rampa.core.content.tree.merge import merge
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.install.plan import plan_update
from rampa.db import BuildRow
from rampa.operations.base import Services
from rampa.operations.content.places import build_locations
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.operations.content.stored_trees import build_tree, depot_trees, find_ready, selectors_of
from rampa.operations.updates.costs import update_cost
from rampa.schema import updates as wire

WORST = 12
NOTHING = Tree()


def compare_depots(services: Services, slug: str, query: wire.PairQuery) -> wire.DepotComparison:
    """Raises `NotFound` for a build that is not ready."""
    old, new = find_ready(services, slug, query.old), find_ready(services, slug, query.new)
    before, after = depot_trees(services, old), depot_trees(services, new)
    # What a device has, not what one depot had: content that moved from depot to depot does not travel again.
    have = local_content(build_tree(services, old))
    locations = build_locations(services, new)[0]
    cost = update_cost(services, new, old)
    names = [*after, *(n for n in before if n not in after)]
    depots = [
        _depot(
            name, before.get(name, NOTHING), after.get(name, NOTHING), have, locations, name in before, name in after
        )
        for name in names
    ]
    return wire.DepotComparison(
        old=old.number,
        new=new.number,
        download=cost.download,
        plain=cost.plain,
        peak_disk=cost.peak_disk,
        depots=depots,
        worst=_worst(services, (old, new), (before, after), have, locations),
    )


def _depot(
    name: str, before: Tree, after: Tree, have: LocalContent, locations: Locations, was: bool, is_: bool
) -> wire.DepotChange:
    kinds = Counter(c.kind for c in compare(before, after))
    download = plan_update(after, have, locations).download
    new_chunks = int((have.find_chunks(after.chunks.digests) < 0).sum())
    kind = "added" if not was else "removed" if not is_ else "changed" if kinds else "same"
    return wire.DepotChange(
        name=name,
        kind=kind,
        added=kinds["added"],
        removed=kinds["removed"],
        changed=kinds["changed"],
        moved=kinds["moved"],
        new_chunks=new_chunks,
        download=download,
        size_before=before.size,
        size_after=after.size,
        note=why_larger(after.size, download),
    )


def _worst(
    services: Services,
    builds: tuple[BuildRow, BuildRow],
    trees: tuple[dict[str, Tree], dict[str, Tree]],
    have: LocalContent,
    locations: Locations,
) -> list[wire.WorstFile]:
    """The changed files that cost most as plain chunks, dearest first."""
    changes = [c for c in _changes(trees) if c.kind in ("changed", "added")]
    told: set[bytes] = set()
    costs = {c.path: _cost(_find(trees[1], c.path)[1], have, locations, told) for c in changes}
    # Changed files first: what is new has to travel.
    dearest = sorted(changes, key=lambda c: (c.kind == "added", -costs[c.path][0]))[:WORST]
    if not dearest:
        return []
    sources = (
        StoredFileBytes(services, build_tree(services, builds[1])),
        StoredFileBytes(services, build_tree(services, builds[0])),
    )
    out = []
    for change in dearest:
        depot, file = _find(trees[1], change.path)
        old = next((f for t in trees[0].values() if (f := t.files.find(change.old_path or change.path))), None)
        download, share = costs[change.path]
        why = reason(file, old, share, sources[0].read, sources[1].read)
        out.append(
            wire.WorstFile(
                path=file.path,
                depot=depot,
                size=file.size,
                download=download,
                shared=change.shared,
                reason=why.code,
                why=why.why,
                advice=why.advice,
            )
        )
    # A file that shares all it has with dearer ones costs nothing by itself.
    return [w for w in out if w.download]


def _find(trees: dict[str, Tree], path: str) -> tuple[str, FileEntry]:
    """The last depot that delivers this path, and the file there."""
    return next((name, f) for name, t in reversed(trees.items()) if (f := t.files.find(path)))


def _changes(trees: tuple[dict[str, Tree], dict[str, Tree]]) -> list[FileChange]:
    out: dict[str, FileChange] = {}
    for name, after in trees[1].items():
        for change in compare(trees[0].get(name, NOTHING), after):
            out.setdefault(change.path, change)
    return list(out.values())


def _cost(file: FileEntry, have: LocalContent, locations: Locations, told: set[bytes]) -> tuple[int, float]:
    """(its share of the frames that travel, how much zstd leaves of what is missing).

    What several files share travels once: it counts for the first of them, so that the files never cost more than the whole.
    """
    missing = {c for c in file.chunks if c.digest not in have.tree.chunks.digests}
    raw = sum(c.size for c in missing)
    stored = {c.digest: locations.chunks[c.digest][0].share(c.size) for c in missing}
    fresh = sum(size for digest, size in stored.items() if digest not in told)
    told.update(stored)
    return fresh, sum(stored.values()) / raw if raw else 0.0


def depot_plan(services: Services, slug: str, number: int, query: wire.DepotPlanQuery) -> wire.DepotPlan:
    """Which depots a device gets that chose this, and what an empty one downloads."""
    build = find_ready(services, slug, number)
    selectors = selectors_of(build)
    taken = tuple(chosen(selectors, choice_of(query)))
    trees = depot_trees(services, build)
    located, encoded = build_locations(services, build, None, taken)
    tree = merge(trees[n] for n in taken)
    plan = plan_update(tree, LocalContent(), located)
    manifest_bytes = (
        len(encoded)
        + len(build.content.statement or b"")
        + sum(d.manifest_size for d in build.depots if d.name in taken)
    )
    shares = []
    for depot in build.depots:
        selector = selectors[depot.name]
        shares.append(
            wire.DepotShare(
                name=depot.name,
                taken=depot.name in taken,
                files=depot.files,
                size=depot.size,
                download=depot.packed,
                note=why_larger(depot.size, depot.packed),
                architectures=list(selector.architectures),
                language=selector.language,
                addon=selector.addon,
                quality=selector.quality,
            )
        )
    return wire.DepotPlan(
        build=build.number,
        name=build.name,
        depots=shares,
        files=len(tree.files),
        size=tree.size,
        download=plan.download + manifest_bytes,
    )


def choice_of(query: wire.DepotPlanQuery) -> Choice:
    return Choice(query.architecture, _list(query.languages), _list(query.addons), query.quality)


def _list(text: str) -> tuple[str, ...] | None:
    """None: everything; a dash: nothing."""
    return None if not text else () if text == "-" else tuple(t.strip() for t in text.split(","))
