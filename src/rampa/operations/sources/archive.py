"""The source archive of a build: what an open licence asks to be given along, made of the commit that it was built from."""

from __future__ import annotations

from collections.abc import Iterator

import zstandard

from rampa.core.errors import NotFound, Refused
from rampa.db import find_build, has_source
from rampa.operations.base import Services, begin
from rampa.operations.sources.repository import mirror_of

LEVEL = 10


def source_archive(services: Services, slug: str, number: int) -> tuple[str, Iterator[bytes]]:
    """(a file's name, its pieces): a tar in zstd (RFC 8878). Raises `Refused` for a build that was made of no commit."""
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
        commit, row = build.made.commit, has_source(uow.session, build.title)
        version = build.version_name
    if not commit:
        hint = "Build from a commit of the title's repository: `rampa run start`."
        raise Refused("source.by-hand", f"{build.name} was made from a folder, not from a commit", hint=hint)
    mirror = mirror_of(services, row) if row else None
    if mirror is None or not mirror.has(commit):
        message = f"commit {commit[:10]} is not in the title's repository any more"
        raise NotFound("source.unknown", message, hint="Fetch the source again: `rampa source fetch`.")
    return f"{slug}-{version}-source.tar.zst", _compressed(mirror.archive(commit))


def _compressed(pieces: Iterator[bytes]) -> Iterator[bytes]:
    packer = zstandard.ZstdCompressor(level=LEVEL).compressobj()
    for piece in pieces:
        made = packer.compress(piece)
        if made:
            yield made
    yield packer.flush()
