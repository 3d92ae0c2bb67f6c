"""What of the content store somebody needs: builds, their bundles and symbols, uploaded folders."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from rampa.core.release import build as life
from rampa.db.builds import Build, Bundle
from rampa.db.content import Chunk, Frame
from rampa.db.sources import Folder
from rampa.operations.context import Services
from rampa.operations.reading import manifest_tree, split_digests

BATCH = 5000


def needed_chunks(services: Services, session: Session, without: set[object] = frozenset()) -> set[bytes]:  # type: ignore[assignment]
    """Digests of all chunks that ready builds and uploaded folders name, if the builds `without` were gone."""
    needed: set[bytes] = set()
    for build in session.scalars(select(Build).where(Build.state == life.State.READY)):
        if build.id not in without:
            needed |= build_chunks(services, build)
    rows = select(Bundle).join(Build).where(Build.state == life.State.READY).options(undefer(Bundle.chunks))
    for bundle in session.scalars(rows):
        if bundle.build_id not in without:
            needed |= set(split_digests(bundle.chunks))
    return needed | chunks_of(services, session.scalars(select(Folder.manifest)))


def build_chunks(services: Services, build: Build) -> set[bytes]:
    """Of a build's depots and symbols."""
    return chunks_of(services, [d.manifest for d in build.depots] + ([build.symbols] if build.symbols else []))


def chunks_of(services: Services, manifests: Iterable[bytes]) -> set[bytes]:
    return {d for m in manifests for d in manifest_tree(services, m).chunks.digests}


def needed_manifests(session: Session) -> set[bytes]:
    rows = session.scalars(select(Build).where(Build.state.in_((life.State.READY, life.State.OPEN))))
    found = {m for b in rows for m in [*(d.manifest for d in b.depots), b.symbols] if m}
    return found | set(session.scalars(select(Folder.manifest)))


def packs_of(session: Session, chunks: Iterable[bytes]) -> set[bytes]:
    """The packs that hold any of these chunks."""
    wanted, packs = list(chunks), set()
    for at in range(0, len(wanted), BATCH):
        rows = select(Frame.pack_digest).join(Chunk, Chunk.frame_id == Frame.id)
        packs |= set(session.scalars(rows.where(Chunk.digest.in_(wanted[at : at + BATCH])).distinct()))
    return packs
