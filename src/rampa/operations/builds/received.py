"""What the maker of a build sent, read and checked: manifests, the chunks that they name, the bundle. Nothing is believed."""

from __future__ import annotations

import base64
import binascii
from dataclasses import dataclass
from itertools import chain

from blake3 import blake3
from sqlalchemy import select

from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from rampa.core.errors import Damaged, Invalid
from rampa.core.profile.resolved import ResolvedProfile
from rampa.db import BuildRow, VerifiedFileRow
from rampa.operations.base import Services, UnitOfWork
from rampa.operations.content.arrival import BATCH, batched, must_be_held
from rampa.operations.content.stored_trees import stream_chunks
from rampa.schema.builds import builds as wire

SYMBOLS = "symbols"


@dataclass(frozen=True)
class Received:
    """A depot's manifest as it was sent, and read."""

    manifest: Manifest
    encoded: bytes
    digest: bytes


def read_manifest(sent: wire.ManifestIn) -> Received:
    try:
        encoded = base64.b64decode(sent.data, validate=True)
    except binascii.Error as error:
        raise Invalid("manifest.base64", "the manifest is not valid base64", where=sent.depot) from error
    manifest = manifest_format.decode(encoded)
    if manifest.depot != sent.depot:
        raise Damaged("manifest.depot", f"the manifest is of depot {manifest.depot!r}", where=sent.depot)
    return Received(manifest, encoded, manifest_format.digest_of(encoded))


def read_symbols(asked: wire.CompleteBuild) -> list[Received]:
    if asked.symbols is None:
        return []
    if asked.symbols.depot != SYMBOLS:
        raise Invalid("symbols.depot", f"the manifest of symbols is named {SYMBOLS!r}", where="symbols")
    return [read_manifest(asked.symbols)]


def same_depots(build: BuildRow, given: list[Received]) -> bool:
    return {d.name: d.manifest for d in build.depots} == {g.manifest.depot: g.digest for g in given}


def check_depots(profile: ResolvedProfile, build: BuildRow, given: list[Received]) -> None:
    expected, sent = {d.name for d in profile.depots}, [g.manifest.depot for g in given]
    if set(sent) != expected or len(sent) != len(expected):
        raise Invalid(
            "depots.other",
            f"profile {build.profile} has the depots {', '.join(sorted(expected))}; sent were {', '.join(sent)}",
            where="manifests",
        )


def check_chunks(uow: UnitOfWork, trees: list[Tree], bundle: wire.BundleIn) -> None:
    """Every chunk that a manifest or the bundle names is recorded, with that size."""
    must_be_held(
        uow,
        chain(*(t.chunks for t in trees), (Chunk(bytes.fromhex(c.digest), c.size) for c in bundle.chunks)),
    )


def _chunks_digest(file: FileEntry) -> bytes:
    return blake3(b"".join(c.digest for c in file.chunks)).digest()


def unverified_files(uow: UnitOfWork, trees: list[Tree]) -> dict[bytes, FileEntry]:
    """Files whose digest the service has never computed itself. One chunk is its own proof."""
    out: dict[bytes, FileEntry] = {}
    for file in chain.from_iterable(t.files for t in trees):
        if len(file.chunks) == 1 and file.chunks[0].digest != file.digest:
            raise Damaged("file.digest", "the file's digest is not that of its content", where=file.path)
        if len(file.chunks) != 1:
            # The digest over the chunks' digests names the content without reading it: what was verified once need not
            # be again.
            out[_chunks_digest(file)] = file
    for batch in batched(list(out), BATCH):
        known = select(VerifiedFileRow.chunks, VerifiedFileRow.digest).where(VerifiedFileRow.chunks.in_(batch))
        for chunks, digest in uow.session.execute(known):
            if out[chunks].digest == digest:
                del out[chunks]
    return out


def verify_files(services: Services, files: dict[bytes, FileEntry]) -> None:
    for file in files.values():
        hasher = blake3()
        for piece in stream_chunks(services, (c.digest for c in file.chunks)):
            hasher.update(piece)
        if hasher.digest() != file.digest:
            raise Damaged("file.digest", "the file's digest is not that of its content", where=file.path)
