"""Reading stored content: manifests as trees, chunks as a stream, what a device asks for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.content.depots.choice import EVERYTHING, Selector, chosen
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.patch import manifest_difference as difference_format
from rampa.core.content.tree.columns import DIGEST_SIZE
from rampa.core.content.tree.merge import merge
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged, NotFound
from rampa.db import BuildRow, DepotRow, SymbolFileRow, find_build
from rampa.operations.base import Services, begin
from rampa.operations.content.arrival import chunk_sizes
from rampa.operations.content.copies import locate
from rampa.operations.content.frames import Frames
from rampa.operations.content.result_cache import ResultCache
from rampa.schema.builds import builds as wire

KEPT_FRAMES = 8


_trees = ResultCache(12)
_manifest_differences = ResultCache(24)


def depot_trees(services: Services, build: BuildRow) -> dict[str, Tree]:
    """Depot -> tree, in the build's order."""
    return {d.name: manifest_tree(services, d.manifest) for d in build.depots}


def manifest_tree(services: Services, digest: bytes) -> Tree:
    return _trees.get(digest, lambda: manifest_format.decode(services.store.manifest(digest)).tree)


def selectors_of(build: BuildRow) -> dict[str, Selector]:
    """Whom each depot is for, in the build's order."""
    return {d.name: d.selector for d in build.depots}


def build_tree(services: Services, build: BuildRow, depots: tuple[str, ...] | None = None) -> Tree:
    """These depots together; without any named, those of a device that takes everything.

    Raises `Damaged` when two deliver the same path.
    """
    trees = depot_trees(services, build)
    names = chosen(selectors_of(build), EVERYTHING) if depots is None else [n for n in trees if n in depots]
    return merge(trees[n] for n in names)


def manifest_difference(services: Services, build: BuildRow, depot: str, base: bytes) -> bytes:
    """A depot's manifest as a difference against another manifest of the title; empty where it does not pay."""
    new = next((d.manifest for d in build.depots if d.name == depot), None)
    if new is None:
        raise NotFound("depot.unknown", f"{build.name} has no depot {depot!r}", where="depot")
    with begin(services) as uow:
        rows = select(DepotRow.manifest).join(BuildRow, BuildRow.id == DepotRow.build_id)
        known = uow.session.scalar(rows.where(BuildRow.title_id == build.title_id, DepotRow.manifest == base).limit(1))
    # Only against a manifest of the same title: others' manifests must not be found out by asking.
    if known is None:
        return b""
    store = services.store
    return _manifest_differences.get(
        (new, base), lambda: difference_format.make(store.manifest(base), store.manifest(new))
    )


def symbols_manifest(services: Services, slug: str, number: int) -> bytes:
    build = find_ready(services, slug, number)
    if build.symbols is None:
        raise NotFound("symbols.none", f"{build.name} has no symbols", where="build")
    return services.store.manifest(build.symbols.manifest)


def find_ready(services: Services, slug: str, number: int) -> BuildRow:
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
    if build.state != BuildState.READY:
        raise NotFound("build.not-ready", f"{build.name} is {build.state}: it has no content to read")
    return build


def provenance(services: Services, slug: str, number: int) -> bytes:
    find_ready(services, slug, number)
    with begin(services) as uow:
        envelope = find_build(uow.session, slug, number).made.provenance
    if envelope is None:
        raise NotFound("provenance.none", f"{slug}#{number} was made before provenance was kept", where="build")
    return envelope


def find_symbols(services: Services, ident: str) -> wire.SymbolsFound:
    """Builds that keep symbols of a native binary with this build id, newest first."""
    with begin(services) as uow:
        rows = uow.session.scalars(
            select(SymbolFileRow).where(SymbolFileRow.ident == ident).order_by(SymbolFileRow.build_id.desc()).limit(50)
        )
        found = [
            wire.SymbolsAt(
                build=r.build.name, title=r.build.title.slug, number=r.build.number, path=r.path, size=r.size
            )
            for r in rows
        ]
    return wire.SymbolsFound(ident=ident, items=found)


def list_files(services: Services, slug: str, number: int) -> wire.FileList:
    build = find_ready(services, slug, number)
    out = []
    for depot, tree in depot_trees(services, build).items():
        for f in tree.files:
            out.append(
                wire.FileOut(
                    path=f.path,
                    size=f.size,
                    depot=depot,
                    executable=f.executable,
                    digest=f.digest.hex(),
                    chunks=len(f.chunks),
                )
            )
        for k in tree.links:
            out.append(
                wire.FileOut(path=k.path, size=0, depot=depot, executable=False, digest="", chunks=0, link=k.target)
            )
    return wire.FileList(files=sorted(out, key=lambda f: f.path))


def list_left_out(services: Services, slug: str, number: int) -> wire.LeftOutList:
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
        return wire.LeftOutList(files=list(build.content.left_out))


def stream_chunks(services: Services, digests: Iterable[bytes]) -> Iterator[bytes]:
    """The chunks' content, one after another; a few frames are kept, so order matters for speed only."""
    wanted = list(digests)
    with begin(services) as uow:
        found = locate(uow, dict.fromkeys(wanted))
        sizes = chunk_sizes(uow, list(found))
    frames = Frames(services, KEPT_FRAMES)
    for digest in wanted:
        if digest not in found:
            raise Damaged("content.missing", f"chunk {digest.hex()[:12]} is not in the store")
        frame, at = found[digest]
        yield frames.read(frame)[at : at + sizes[digest]]


def stream_part(services: Services, digests: Iterable[bytes], start: int, stop: int) -> Iterator[bytes]:
    """The same from byte `start` to `stop`; chunks before and behind are not read."""
    wanted = list(digests)
    with begin(services) as uow:
        sizes = chunk_sizes(uow, list(dict.fromkeys(wanted)))
    inside: list[bytes] = []
    at = first = 0
    for digest in wanted:
        size = sizes.get(digest, 0)
        if at < stop and at + size > start:
            first = at if not inside else first
            inside.append(digest)
        at += size
    at = first
    for data in stream_chunks(services, inside):
        yield data[max(0, start - at) : stop - at]
        at += len(data)


def split_digests(joined: bytes) -> list[bytes]:
    return [joined[i : i + DIGEST_SIZE] for i in range(0, len(joined), DIGEST_SIZE)]
