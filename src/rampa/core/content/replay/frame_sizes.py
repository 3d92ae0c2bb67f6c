"""How many bytes frames take: each is compressed once, however many rules and releases ask for the same one."""

from __future__ import annotations

import struct
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor

from blake3 import blake3

from rampa.core import parallel
from rampa.core.content.layout.frames import FramePlan
from rampa.core.content.layout.making import make_frame
from rampa.core.content.layout.order import READ
from rampa.core.content.layout.ways import MIB, Way
from rampa.core.content.pack.filters import Filter
from rampa.core.content.pack.shared_frames import SharedFrame
from rampa.core.content.tree.tree import Chunk

SAMPLE = 64 * MIB
"""Content of a release of which frames for players are compressed; what the others take follows from those."""
AHEAD = 4
ROW = struct.Struct("<32sQ")
Progress = Callable[[int], None]
"""Is told of raw bytes that were looked at."""


class FrameSizes:
    """In bytes as they would be stored."""

    def __init__(self, known: bytes = b"") -> None:
        """`known`: what `joined` gave an earlier time."""
        self._known = {key: size for key, size in ROW.iter_unpack(known)}

    def joined(self) -> bytes:
        return b"".join(ROW.pack(*row) for row in self._known.copy().items())

    def of_shared(
        self, threads: ThreadPoolExecutor, frames: Iterable[SharedFrame], read: READ, on: Progress
    ) -> Iterator[tuple[SharedFrame, int]]:
        """Of every frame, in order."""

        def size(frame: SharedFrame) -> int:
            chosen = next((s.filter for s in frame.shapes.values()), None)
            content = (read(run[0].path, run[0].offset, run[-1].end - run[0].offset) for run in frame.stretches())
            key = _key((frame.packing, chosen), [p.chunk for p in frame.places])
            return self._once(key, lambda: len(frame.compressed(b"".join(content))))

        for frame, stored in parallel.in_order(threads, lambda f: (f, size(f)), frames, ahead=AHEAD):
            on(frame.raw)
            yield frame, stored

    def of_players(
        self, threads: ThreadPoolExecutor, plans: Sequence[FramePlan], read: READ, way: Way, on: Progress
    ) -> list[int]:
        """Of every plan: compressed where it is in the sample or was before, else by the share of those of its kind."""
        keys = [_key((way, plan.filter), plan.chunks) for plan in plans]
        every = max(1, -(-sum(p.size for p in plans) // SAMPLE))
        wanted = [n for n in range(len(plans)) if n % every == every // 2 or keys[n] in self._known]

        def size(number: int) -> int:
            plan = plans[number]
            return self._once(keys[number], lambda: len(make_frame(plan, read, way).stored))

        sizes: dict[int, int] = {}
        each = sum(p.size for p in plans) // max(1, len(wanted))
        for number, stored in zip(wanted, parallel.in_order(threads, size, wanted, ahead=AHEAD), strict=True):
            sizes[number] = stored
            on(each)
        share = _shares(plans, sizes)
        return [sizes.get(n, max(1, int(p.size * share[p.filter]))) for n, p in enumerate(plans)]

    def _once(self, key: bytes, make: Callable[[], int]) -> int:
        size = self._known.get(key)
        if size is None:
            size = self._known[key] = make()
        return size


def _key(how: object, chunks: Iterable[Chunk]) -> bytes:
    return blake3(repr(how).encode() + b"".join(c.digest for c in chunks)).digest()


def _shares(plans: Sequence[FramePlan], sizes: dict[int, int]) -> defaultdict[Filter | None, float]:
    """Stored bytes beside raw ones, by filter; of all where none of a filter was looked at."""
    raw: dict[Filter | None, int] = defaultdict(int)
    stored: dict[Filter | None, int] = defaultdict(int)
    for number, size in sizes.items():
        raw[plans[number].filter] += plans[number].size
        stored[plans[number].filter] += size
    whole = sum(stored.values()) / max(1, sum(raw.values()))
    return defaultdict(lambda: whole, {chosen: stored[chosen] / raw[chosen] for chosen in raw})
