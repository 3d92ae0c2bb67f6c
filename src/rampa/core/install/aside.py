"""What a step of a chain makes for the next one: kept beside the build while it is needed, never in memory."""

from __future__ import annotations

import os
import tempfile
import threading
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import BinaryIO, cast

from rampa.core.content.patch.difference_place import DifferencePlace, MadeRegion, Source


def rounds(places: Iterable[DifferencePlace]) -> list[list[DifferencePlace]]:
    """Those that start from files alone, then those that start from what is made by then, and so on. Each comes behind its
    sources."""
    depth: dict[Source, int] = {}
    out: list[list[DifferencePlace]] = []
    for place in places:
        at = max((depth[s] + 1 for s in place.sources if s in depth), default=0)
        depth[place.source] = at
        if at == len(out):
            out.append([])
        out[at].append(place)
    return out


class Aside:
    """Files without a name, so that a kill leaves none. Safe for threads."""

    def __init__(self, folder: Path, places: Iterable[DifferencePlace]) -> None:
        self._folder = folder
        self._wanted = Counter(source for place in places for source in place.sources)
        self._files: dict[Source, BinaryIO] = {}
        self._lock = threading.Lock()

    def put(self, place: DifferencePlace, content: bytes | bytearray | memoryview) -> None:
        """Keeps what somebody still waits for."""
        if not self._wanted[place.source]:
            return
        file = cast(BinaryIO, tempfile.TemporaryFile(dir=self._folder))  # noqa: SIM115 - closed in `done`, at the latest in `close`
        file.write(content)
        file.flush()
        with self._lock:
            self._files[place.source] = file

    def read(self, piece: MadeRegion) -> bytes | None:
        """None where it was not made."""
        with self._lock:
            file = self._files.get(piece.source)
        return os.pread(file.fileno(), piece.size, piece.offset) if file else None

    def done(self, place: DifferencePlace) -> None:
        """It was made, or could not be: what only it waited for goes."""
        with self._lock:
            for source in place.sources:
                self._wanted[source] -= 1
                if not self._wanted[source] and source in self._files:
                    self._files.pop(source).close()

    def close(self) -> None:
        with self._lock:
            for file in self._files.values():
                file.close()
            self._files.clear()
