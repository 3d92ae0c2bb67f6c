"""Stored content as random access: what is made of chunks, read by range where the chunks lie in packs.

One reader walks chunks by their ends (`StoredChunks`); a bundle is one row of chunks, a build has a row for each file.
"""

from __future__ import annotations

import bisect
import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from rampa.core.content.pack.places import FramePlace
from rampa.core.content.tree.paths import printable
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged, NotFound
from rampa.operations.base import Services, begin
from rampa.operations.content.copies import locate
from rampa.operations.content.frames import Frames

FRAMES_OF_A_BUILD = 48
"""Frames that are kept: a bundle is read from front to back, a build's files by several threads here and there."""


@dataclass(frozen=True)
class ChunkSequence:
    """Chunks one after the other; `ends` are the offsets where each ends, in bytes."""

    digests: Sequence[bytes]
    ends: Sequence[int]

    @property
    def size(self) -> int:
        return self.ends[-1] if self.ends else 0


class StoredChunks:
    """Chunks where they lie, read by range; may be called from several threads."""

    def __init__(self, services: Services, digests: Iterable[bytes], kept: int) -> None:
        with begin(services) as uow:
            # In one go, before anything is read: a look-up for each read would be a query for each.
            self._places = locate(uow, dict.fromkeys(digests))
        self._frames = Frames(services, kept)

    def read(self, row: ChunkSequence, offset: int, length: int) -> bytes:
        """At most `length` bytes, fewer at the row's end. Raises `Damaged` when a chunk is not in the store."""
        at, end, parts = offset, min(offset + length, row.size), []
        while at < end:
            # The first chunk that ends behind the place is the one that holds it.
            index = bisect.bisect_right(row.ends, at)
            start = row.ends[index - 1] if index else 0
            content, begins = self._frame_of(row.digests[index])
            parts.append(content[begins + at - start : begins + min(end, row.ends[index]) - start])
            at = row.ends[index]
        return b"".join(parts)

    def must_hold(self, digests: Iterable[bytes]) -> None:
        """Raises `Damaged` for the first that is not in the store: better now than in the middle of a check."""
        for digest in digests:
            self._place(digest)

    def _frame_of(self, digest: bytes) -> tuple[memoryview, int]:
        frame, at = self._place(digest)
        return memoryview(self._frames.read(frame)), at

    def _place(self, digest: bytes) -> tuple[FramePlace, int]:
        if digest not in self._places:
            raise Damaged("content.missing", f"chunk {digest.hex()[:12]} is not in the store")
        return self._places[digest]


class StoredFileBytes:
    """A build's files by path, offset and size; may be called from several threads."""

    def __init__(self, services: Services, tree: Tree) -> None:
        self._files = tree.files
        self._rows: dict[str, ChunkSequence] = {}
        self._chunks = StoredChunks(services, tree.chunks.digests, FRAMES_OF_A_BUILD)

    def read(self, path: str, offset: int, size: int) -> bytes:
        """At most `size` bytes. Raises `NotFound` for a path that the build lacks, `Damaged` for a chunk that is gone."""
        row = self._rows.get(path)
        if row is None:
            file = self._files.find(path)
            if file is None:
                raise NotFound("file.unknown", "the build has no such file", where=printable(path))
            ends = list(itertools.accumulate(c.size for c in file.chunks))
            row = self._rows.setdefault(path, ChunkSequence([c.digest for c in file.chunks], ends))
        return self._chunks.read(row, offset, size)
