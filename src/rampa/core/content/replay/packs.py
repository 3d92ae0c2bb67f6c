"""Packs of which only the sizes are known: where their frames lie, and so what requests bring them."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from blake3 import blake3

from rampa.core.content.pack.pack import is_full
from rampa.core.content.pack.places import FramePlace


@dataclass
class _Open:
    name: bytes
    stored: int = 0
    raw: int = 0


class ThoughtPacks:
    """Frames one behind the other, those of a group together; a pack is closed as real ones are. `name` tells them apart."""

    def __init__(self, name: str) -> None:
        self._name, self._count = name, 0
        self._open: dict[int, _Open] = defaultdict(self._next)
        self.stored = 0
        """Bytes of all frames."""

    def place(self, stored: int, raw: int, group: int = 0) -> FramePlace:
        pack = self._open[group]
        place = FramePlace(pack.name, pack.stored, stored, raw)
        pack.stored, pack.raw, self.stored = pack.stored + stored, pack.raw + raw, self.stored + stored
        if is_full(pack.stored, pack.raw):
            del self._open[group]
        return place

    def _next(self) -> _Open:
        self._count += 1
        # As long as a real address, and as little like another one: locations hold them, and are counted, too.
        return _Open(blake3(f"{self._name} {self._count}".encode()).digest())
