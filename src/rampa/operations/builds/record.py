"""What a completed build keeps: depots, figures, symbols, its signed statement and provenance; all in one transaction."""

from __future__ import annotations

import re
from itertools import chain

from sqlalchemy.dialects.postgresql import insert

from rampa.core.build.life import BuildEvent
from rampa.core.build.record import MadeWith
from rampa.core.content.depots.choice import Selector
from rampa.core.content.pack.places import ChunkPlaces
from rampa.core.content.select.left_out import LeftOut
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.signing import statement as statement_format
from rampa.core.signing.statement import DepotLine, Statement
from rampa.db import BuildRow, BuildSymbolsRow, DepotRow, SymbolFileRow, VerifiedFileRow
from rampa.operations.base import UnitOfWork, transition
from rampa.operations.builds.bundles import ReadBack, keep_bundle
from rampa.operations.builds.provenance import provenance_of
from rampa.operations.builds.received import Received
from rampa.operations.content.copies import locate
from rampa.operations.titles.titles import manifest_key
from rampa.schema.builds import builds as wire

SYMBOL_PATH = re.compile(r"(?:.*/)?\.build-id/([0-9a-f]{2})/([0-9a-f]{2,126})\.debug")
"""Where debuggers look for symbols: by the build id, its first byte as a folder."""


def record(
    uow: UnitOfWork,
    build: BuildRow,
    given: list[Received],
    asked: wire.CompleteBuild,
    read: ReadBack,
) -> None:
    # Where all the chunks lie is asked once; each depot's download is a part of it.
    located = locate(uow, chain.from_iterable(g.manifest.tree.chunks.digests for g in given))
    selectors = {d.name: d.selector for d in read.profile.depots}
    for position, g in enumerate(given):
        uow.session.add(_depot(build, position, g, located, selectors))
    build.content.files = sum(len(g.manifest.tree.files) for g in given)
    build.content.size = sum(g.manifest.tree.size for g in given)
    build.content.packed = _packed([g.manifest.tree for g in given], located)
    build.content.figures = asked.figures
    build.made.record = MadeWith(tools=asked.tools, findings=tuple(asked.findings))
    build.content.undelivered = list(asked.undelivered)
    build.content.left_out = [LeftOut(o.path, o.size, o.why, o.origin) for o in asked.left_out]
    build.content.left_out_files = len(asked.left_out)
    build.content.left_out_size = sum(row.size for row in asked.left_out)
    bundle = keep_bundle(uow, build, asked.bundle, read)
    build.content.statement = statement_format.sign(
        _statement(build, given, selectors), manifest_key(uow.services, build.title)
    )
    build.completed_at = uow.now
    build.made.provenance = provenance_of(uow, build, bundle, asked.tools)
    transition(
        uow,
        build,
        BuildEvent.COMPLETE,
        files=build.content.files,
        size=build.content.size,
        bundle_sha256=asked.bundle.sha256,
        identity=bundle.identity,
    )


def _depot(
    build: BuildRow, position: int, g: Received, located: ChunkPlaces, selectors: dict[str, Selector]
) -> DepotRow:
    tree = g.manifest.tree
    return DepotRow(
        build_id=build.id,
        name=g.manifest.depot,
        position=position,
        manifest=g.digest,
        manifest_size=len(g.encoded),
        files=len(tree.files),
        size=tree.size,
        packed=_packed([tree], located),
        selector=selectors[g.manifest.depot],
    )


def _packed(trees: list[Tree], located: ChunkPlaces) -> int:
    """Bytes of the frames that hold these trees, each frame once."""
    # A frame that two depots share is downloaded once by a device that has both.
    return sum(f.stored for f in {f for t in trees for f in located.frames_of(t.chunks.digests)})


def keep_symbols(uow: UnitOfWork, build: BuildRow, symbols: list[Received]) -> None:
    for g in symbols:
        for file in g.manifest.tree.files:
            match = SYMBOL_PATH.fullmatch(file.path)
            if match:
                ident = match[1] + match[2]
                uow.session.add(SymbolFileRow(build_id=build.id, path=file.path, ident=ident, size=file.size))
        tree = g.manifest.tree
        build.symbols = BuildSymbolsRow(manifest=g.digest, files=len(tree.files), size=tree.size)


def remember_verified(uow: UnitOfWork, files: dict[bytes, FileEntry]) -> None:
    """Another build may have verified the same at the same moment; in one order, so that neither waits for ever."""
    rows = [{"digest": files[chunks].digest, "chunks": chunks} for chunks in sorted(files)]
    if rows:
        uow.session.execute(insert(VerifiedFileRow).on_conflict_do_nothing(), rows)


def _statement(build: BuildRow, given: list[Received], selectors: dict[str, Selector]) -> Statement:
    return Statement(
        title=build.title.identifier,
        build=build.number,
        profile=build.profile,
        platform=build.platform,
        version_name=build.version_name,
        version_code=build.version_code,
        launch=build.content.launch,
        depots=tuple(DepotLine(g.manifest.depot, g.digest, len(g.encoded), selectors[g.manifest.depot]) for g in given),
    )
