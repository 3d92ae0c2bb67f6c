"""A build's bundle as bytes that can be read from anywhere: an upload goes on where it ended."""

from __future__ import annotations

import itertools
import uuid

from rampa.core.content.tree.columns import DIGEST_SIZE
from rampa.core.errors import NotFound
from rampa.db import BuildRow
from rampa.operations.base import Services, begin
from rampa.operations.content.arrival import chunk_sizes
from rampa.operations.content.stored_bytes import ChunkSequence, StoredChunks
from rampa.operations.content.stored_trees import split_digests

KEPT_FRAMES = 24


class StoredBundle:
    """A `ByteSource` over the store."""

    def __init__(self, services: Services, build: uuid.UUID) -> None:
        with begin(services) as uow:
            row = uow.session.get_one(BuildRow, build)
            if row.bundle is None:
                raise NotFound("bundle.none", f"{row.name} has no bundle", where="build")
            digests = split_digests(row.bundle.chunks)
            sizes = chunk_sizes(uow, list(dict.fromkeys(digests)))
        assert all(len(d) == DIGEST_SIZE for d in digests)
        self._chunks = StoredChunks(services, digests, KEPT_FRAMES)
        self._chunks.must_hold(digests)
        self._row = ChunkSequence(digests, list(itertools.accumulate(sizes[d] for d in digests)))
        self.size = self._row.size

    def read_at(self, offset: int, length: int) -> bytes:
        return self._chunks.read(self._row, offset, length)
