"""Chunks that differences make of what the device has."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from blake3 import blake3

from rampa.core import parallel
from rampa.core.content.patch import maker
from rampa.core.content.patch.difference_place import DifferencePlace, MadeRegion
from rampa.core.errors import Damaged, NotFound
from rampa.core.install.aside import Aside, rounds
from rampa.core.install.assembly import Assembly, read_region


class FromDifferences:
    """`root` is what the device has; `read` gets (pack, offset, size) from the network."""

    def __init__(self, root: Path | None, read: Callable[[bytes, int, int], bytes]) -> None:
        self._root, self._read = root, read

    def make_all(
        self, places: Sequence[DifferencePlace], assembly: Assembly, threads: ThreadPoolExecutor
    ) -> Iterator[int]:
        """The stored bytes of each, once it is done with."""
        aside = Aside(assembly.root.parent, places)
        try:
            for each in rounds(places):
                yield from parallel.in_order(threads, lambda d: self._make(d, assembly, aside), each)
        finally:
            aside.close()

    def _make(self, place: DifferencePlace, assembly: Assembly, aside: Aside) -> int:
        """Where what the device has was touched, or the difference is not right or not there any more, nothing is put: plain
        chunks come instead."""
        old = self._old_content(place, aside)
        content = None if old is None else self._made(place, old)
        if content is not None:
            aside.put(place, content)
            for chunk, at in zip(place.new, place.starts, strict=True):
                piece = content[at : at + chunk.size]
                number = assembly.tree.chunks.digests.find(chunk.digest)
                if number >= 0 and blake3(piece).digest() == chunk.digest:
                    assembly.put(number, piece)
        aside.done(place)
        return place.stored if old is not None else 0

    def _made(self, place: DifferencePlace, old: bytes) -> memoryview | None:
        try:
            return memoryview(maker.apply(self._read(place.pack, place.offset, place.stored), old, place.new_size))
        except (Damaged, NotFound):
            return None

    def _old_content(self, place: DifferencePlace, aside: Aside) -> bytes | None:
        if not place.old:
            return b""
        if self._root is None:
            return None
        parts = [
            aside.read(r) if isinstance(r, MadeRegion) else read_region(self._root / r.path, r.offset, r.size)
            for r in place.old
        ]
        old = b"".join(p for p in parts if p is not None)
        return old if blake3(old).digest() == place.old_digest else None
