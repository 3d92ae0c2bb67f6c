"""Files of a stored build as random access: a few frames are kept, whichever file they belong to."""

from __future__ import annotations

import bisect
import itertools

from rampa.core.content.tree.paths import printable
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged, NotFound
from rampa.operations.base import Services, begin
from rampa.operations.content.arrival import locate
from rampa.operations.content.frames import Frames

KEPT_FRAMES = 48


class StoredFileBytes:
    """Reads of a build's files by path, offset and size; may be called from several threads."""

    def __init__(self, services: Services, tree: Tree) -> None:
        self._files = tree.files
        self._ends: dict[str, list[int]] = {}
        with begin(services) as uow:
            self._places = locate(uow, tree.chunks.digests)
        self._frames = Frames(services, KEPT_FRAMES)

    def read(self, path: str, offset: int, size: int) -> bytes:
        """Up to `size` bytes. Raises `Damaged` when a chunk is not in the store."""
        file = self._files.find(path)
        if file is None:
            raise NotFound("file.unknown", "the build has no such file", where=printable(path))
        ends = self._ends.setdefault(path, list(itertools.accumulate(c.size for c in file.chunks)))
        end, at, parts = min(offset + size, file.size), offset, []
        while at < end:
            index = bisect.bisect_right(ends, at)
            start = ends[index] - file.chunks[index].size
            content, begins = self._frame_of(file.chunks[index].digest)
            parts.append(content[begins + at - start : begins + min(end, ends[index]) - start])
            at = ends[index]
        return b"".join(parts)

    def _frame_of(self, digest: bytes) -> tuple[memoryview, int]:
        if digest not in self._places:
            raise Damaged("content.missing", f"chunk {digest.hex()[:12]} is not in the store")
        frame, at = self._places[digest]
        return memoryview(self._frames.read(frame)), at
