"""A stored bundle as random access: its chunks where they lie in packs, a few frames kept."""

from __future__ import annotations

import bisect
import itertools

from rampa.core.errors import Damaged
from rampa.operations.base import Services, begin
from rampa.operations.content.arrival import chunk_sizes, locate
from rampa.operations.content.frames import Frames

KEPT_FRAMES = 12


class ChunkSource:
    """A `rampa.core.bundle.sources.Source` over chunks in their order. Raises `Damaged` when one is missing."""

    def __init__(self, services: Services, digests: list[bytes]) -> None:
        self._digests = digests
        with begin(services) as uow:
            self._places = locate(uow, dict.fromkeys(digests))
            sizes = chunk_sizes(uow, list(self._places))
        missing = [d for d in digests if d not in self._places]
        if missing:
            raise Damaged("content.missing", f"chunk {missing[0].hex()[:12]} is not in the store")
        self._ends = list(itertools.accumulate(sizes[d] for d in digests))
        self.size = self._ends[-1] if self._ends else 0
        self._frames = Frames(services, KEPT_FRAMES)

    def read_at(self, offset: int, length: int) -> bytes:
        end = min(offset + length, self.size)
        parts = []
        at = offset
        while at < end:
            index = bisect.bisect_right(self._ends, at)
            start = self._ends[index - 1] if index else 0
            chunk = self._chunk(index, self._ends[index] - start)
            parts.append(chunk[at - start : end - start])
            at = self._ends[index]
        return b"".join(parts)

    def _chunk(self, index: int, size: int) -> bytes:
        frame, at = self._places[self._digests[index]]
        return self._frames.read(frame)[at : at + size]
