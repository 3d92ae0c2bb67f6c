"""Uploaded folders: a source without a repository. Only chunks that are missing travel."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Iterator

from sqlalchemy import func, select

from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.locations import Locations
from rampa.core.errors import Damaged, Invalid
from rampa.db import FolderRow, find_folder, find_title
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.content.arrival import must_be_held
from rampa.operations.content.copies import locate
from rampa.operations.content.stored_trees import manifest_tree
from rampa.schema import sources as wire

DEPOT = "source"
"""The name that the manifest of an uploaded folder carries."""


def add_folder(services: Services, actor: Actor, slug: str, asked: wire.NewFolder) -> wire.FolderOut:
    """Raises `Conflict` while chunks are missing."""
    try:
        encoded = base64.b64decode(asked.manifest, validate=True)
    except binascii.Error as error:
        raise Invalid("manifest.base64", "the manifest is not valid base64", where="manifest") from error
    manifest = manifest_format.decode(encoded)
    if manifest.depot != DEPOT:
        raise Damaged("manifest.depot", f"the manifest of a folder is named {DEPOT!r}", where="manifest")
    digest = manifest_format.digest_of(encoded)
    services.store.put_manifest(digest, encoded)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        must_be_held(uow, manifest.tree.chunks)
        number = (uow.session.scalar(select(func.max(FolderRow.number)).where(FolderRow.title_id == title.id)) or 0) + 1
        row = FolderRow(
            title_id=title.id,
            number=number,
            manifest=digest,
            files=len(manifest.tree.files),
            size=manifest.tree.size,
            note=asked.note,
            created_by=actor.name,
            created_at=services.now(),
        )
        uow.session.add(row)
        audit.record(uow, "source.upload", f"{slug} folder {number}", slug, size=row.size)
        uow.session.flush()
        return _out(row)


def list_folders(services: Services, slug: str) -> list[wire.FolderOut]:
    """Newest first."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = select(FolderRow).where(FolderRow.title_id == title.id).order_by(FolderRow.number.desc()).limit(200)
        return [_out(r) for r in uow.session.scalars(rows)]


def folder_manifest(services: Services, slug: str, number: int) -> bytes:
    with begin(services) as uow:
        return services.store.manifest(find_folder(uow.session, slug, number).manifest)


def folder_locations(services: Services, slug: str, number: int) -> bytes:
    with begin(services) as uow:
        tree = manifest_tree(services, find_folder(uow.session, slug, number).manifest)
        return locations_format.encode(Locations(locate(uow, tree.chunks.digests)), tree)


def folder_files(uow: UnitOfWork, slug: str, number: int) -> Iterator[tuple[str, str]]:
    """(path, digest) of its files."""
    for f in manifest_tree(uow.services, find_folder(uow.session, slug, number).manifest).files:
        yield f.path, f.digest.hex()


def _out(row: FolderRow) -> wire.FolderOut:
    return wire.FolderOut(
        number=row.number,
        files=row.files,
        size=row.size,
        note=row.note,
        created_at=row.created_at,
        created_by=row.created_by,
    )
