"""What of the content store somebody needs: builds, their bundles and symbols, uploaded folders."""

from __future__ import annotations

from collections.abc import Iterable, Set

from sqlalchemy import select
from sqlalchemy.orm import undefer

from rampa.core.build.life import BuildState
from rampa.db import BuildRow, BundleRow, FolderRow
from rampa.operations.base import Services, UnitOfWork
from rampa.operations.content.copies import needed_copies
from rampa.operations.content.stored_trees import manifest_tree, split_digests


def needed_chunks(uow: UnitOfWork, without: Set[object] = frozenset()) -> set[bytes]:
    """Digests of all chunks that ready builds and uploaded folders name, if the builds `without` were gone."""
    needed: set[bytes] = set()
    for build in uow.session.scalars(select(BuildRow).where(BuildRow.state == BuildState.READY)):
        if build.id not in without:
            needed |= build_chunks(uow.services, build)
    rows = select(BundleRow).join(BuildRow).where(BuildRow.state == BuildState.READY).options(undefer(BundleRow.chunks))
    for bundle in uow.session.scalars(rows):
        if bundle.build_id not in without:
            needed |= set(split_digests(bundle.chunks))
    return needed | chunks_of(uow.services, uow.session.scalars(select(FolderRow.manifest)))


def build_chunks(services: Services, build: BuildRow) -> set[bytes]:
    """Of a build's depots and symbols."""
    return chunks_of(services, [d.manifest for d in build.depots] + ([build.symbols.manifest] if build.symbols else []))


def chunks_of(services: Services, manifests: Iterable[bytes]) -> set[bytes]:
    return {d for m in manifests for d in manifest_tree(services, m).chunks.digests}


def needed_manifests(uow: UnitOfWork) -> set[bytes]:
    rows = uow.session.scalars(select(BuildRow).where(BuildRow.state.in_((BuildState.READY, BuildState.OPEN))))
    builds = list(rows)
    found = {d.manifest for b in builds for d in b.depots} | {b.symbols.manifest for b in builds if b.symbols}
    return found | set(uow.session.scalars(select(FolderRow.manifest)))


def packs_of(uow: UnitOfWork, chunks: Iterable[bytes]) -> set[bytes]:
    """The packs that somebody is sent to for any of these chunks."""
    return {c.frame.pack for c in needed_copies(uow, chunks)}
