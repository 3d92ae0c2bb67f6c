"""Which compression level suits a content: measured on a sample of it, on this machine, with the product's own packing."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

from rampa.core import parallel
from rampa.core.ambient import Clock
from rampa.core.binaries.read_at import of_descriptor
from rampa.core.content.pack.compression import Packing
from rampa.core.content.pack.filter_choice import Shape, shape_in
from rampa.core.content.pack.filters import Filter, Run
from rampa.core.content.pack.pack import FRAME_TARGET, LONG_TARGET, compress, compress_filtered, decompress
from rampa.core.content.select.selection import Selection
from rampa.core.content.tree.chosen_files import Selected

LEVELS = (0, 1, 3, 5, 7, 9, 12, 15, 17, 19)
RATES = (10, 50, 200)
"""Players' connections, Mbit/s."""
NEAR = 1.02
"""A level is as good as the best when players wait at most this much longer."""
NO_GAIN = 0.98
WORTH = 0.95
"""A rule of its own must save a twentieth."""


@dataclass(frozen=True)
class Measured:
    """A level, scaled from the sample to the whole: bytes, seconds on all cores of this machine."""

    level: int
    packed: int
    packing: float
    unpacking: float

    def waits(self, rate: int) -> float:
        """Seconds of a player with `rate` Mbit/s: download and unpacking overlap."""
        return max(self.packed * 8 / (rate * 1e6), self.unpacking)


@dataclass(frozen=True)
class Ending:
    """One kind of file: bytes in all, its share when packed at the level looked at, with long-distance matching, and
    filtered."""

    ending: str
    size: int
    ratio: float
    long_ratio: float
    filtered_ratio: float

    @property
    def rule(self) -> str:
        """What the profile document could say for it, or nothing."""
        if self.filtered_ratio < min(self.ratio, self.long_ratio, 1) * WORTH:
            return "filtered"
        if self.long_ratio < min(self.ratio, 1) * WORTH:
            return "long"
        return "stored" if self.ratio > NO_GAIN else ""


@dataclass
class _Block:
    """Content that would share a frame: pieces of files of one kind and one filter."""

    ending: str
    filter: Filter | None
    data: bytearray = field(default_factory=bytearray)
    runs: list[Run] = field(default_factory=list)

    def add(self, piece: bytes, shape: Shape | None, offset: int) -> None:
        self.data += piece
        if shape:
            self.runs += shape.runs(offset, len(piece))

    def filtered(self) -> int:
        """Bytes at level 3 behind its filter, or without one where it has none."""
        if self.filter is None:
            return len(compress(self.data, Packing(3)))
        return len(compress_filtered(bytes(self.data), Packing(3, filtered=True), self.filter, self.runs))


@dataclass(frozen=True)
class Tuned:
    """`size` bytes in all, of which `sample` were measured; `skipped` levels found no time."""

    size: int
    sample: int
    levels: tuple[Measured, ...]
    endings: tuple[Ending, ...]
    skipped: tuple[int, ...]
    best: int
    why: str


def tune(
    selection: Selection,
    clock: Clock,
    *,
    sample: int = 64 * 1024 * 1024,
    seconds: float = 120.0,
    packing: float = 0.0,
    on: Callable[[int, int], None] = lambda done, total: None,
) -> Tuned:
    """Measures level by level until `seconds` are over. `packing`: recommend only levels that pack in so many seconds."""
    started = clock.seconds()
    size = selection.files.size
    blocks = _sample(selection, sample)
    taken = sum(len(b.data) for b in blocks)
    scale = size / max(1, taken)
    done: list[Measured] = []
    with parallel.pool() as threads:
        for number, level in enumerate(LEVELS):
            # Each level takes longer than the one before, up to about three times: one that would not end in time is
            # not begun.
            if done and clock.seconds() - started + 3 * done[-1].packing / scale > seconds:
                break
            done.append(_level(threads, clock, level, blocks, scale))
            on((number + 1) * taken, len(LEVELS) * taken)
        endings = _endings(threads, blocks, selection.files)
    skipped = LEVELS[len(done) :]
    best, why = _recommend(done, packing)
    return Tuned(size, taken, tuple(done), endings, skipped, best, why)


def _sample(selection: Selection, limit: int) -> list[_Block]:
    """Evenly over all files in their order."""
    total = selection.files.size
    # Evenly spread pieces, not whole files: a title has a few large files, and a sample of them would miss all other
    # kinds.
    step = max(1, -(-total // limit))
    out: list[_Block] = []
    waiting: dict[tuple[str, Filter | None], _Block] = {}
    counter = 0
    for file in selection.files:
        with open(selection.root / file.disk, "rb") as stream:
            shape = shape_in(of_descriptor(stream.fileno()))
            for offset, piece in enumerate(iter(lambda s=stream: s.read(FRAME_TARGET), b"")):  # type: ignore[misc]
                counter += 1
                if counter % step:
                    continue
                key = _ending(file), shape.filter if shape else None
                block = waiting.get(key)
                if block is None or len(block.data) + len(piece) > FRAME_TARGET:
                    block = waiting[key] = _Block(*key)
                    out.append(block)
                block.add(piece, shape, offset * FRAME_TARGET)
    return out


def _ending(file: Selected) -> str:
    name = file.path.rpartition("/")[2]
    return "." + name.rpartition(".")[2].lower() if "." in name[1:] else "(none)"


def _level(threads: ThreadPoolExecutor, clock: Clock, level: int, blocks: list[_Block], scale: float) -> Measured:
    packing = Packing(level)
    started = clock.seconds()
    packed = list(parallel.in_order(threads, lambda b: compress(b.data, packing), blocks))
    between = clock.seconds()
    for _ in parallel.in_order(
        threads, lambda p: len(decompress(p[0], len(p[1].data))), zip(packed, blocks, strict=True)
    ):
        pass
    ended = clock.seconds()
    size = sum(len(p) for p in packed)
    return Measured(level, int(size * scale), (between - started) * scale, (ended - between) * scale)


def _endings(threads: ThreadPoolExecutor, blocks: list[_Block], files: Iterable[Selected]) -> tuple[Ending, ...]:
    """At level 3: kinds of files that do not gain, and those that gain by a longer memory or by a filter."""
    sizes: dict[str, int] = defaultdict(int)
    for file in files:
        sizes[_ending(file)] += file.size
    alike: dict[str, list[_Block]] = defaultdict(list)
    for block in blocks:
        alike[block.ending].append(block)

    def look(ending: str) -> Ending:
        raw = sum(len(b.data) for b in alike[ending])
        short = sum(len(compress(b.data, Packing(3))) for b in alike[ending])
        filtered = sum(b.filtered() for b in alike[ending]) if any(b.filter for b in alike[ending]) else short
        joined = b"".join(b.data for b in alike[ending])
        pieces = [joined[i : i + LONG_TARGET] for i in range(0, len(joined), LONG_TARGET)]
        long = sum(len(compress(p, Packing(3, long=True))) for p in pieces)
        return Ending(ending, sizes[ending], short / raw, long / raw, filtered / raw)

    # Kinds that fill nothing are left: twenty say where the bytes are, and a table of all endings says nothing.
    seen = parallel.in_order(threads, look, sorted(alike, key=lambda e: -sizes[e])[:20])
    return tuple(seen)


def _recommend(done: list[Measured], packing: float) -> tuple[int, str]:
    able = [m for m in done if not packing or m.packing <= packing] or done[:1]
    waits = {m.level: sum(m.waits(r) for r in RATES) for m in able}
    least = min(waits.values())
    # The lowest of those that are as good: packing faster for the same wait is for nothing.
    best = next(m for m in able if waits[m.level] <= least * NEAR)
    smallest = min(able, key=lambda m: m.packed)
    more = smallest.packing / max(best.packing, 1e-9)
    why = f"players wait {best.waits(50):.1f} s for it at 50 Mbit/s"
    if smallest.level == best.level:
        why += f", and no level that was measured{' within the budget' if packing else ''} packs smaller"
    else:
        saved = (best.packed - smallest.packed) / max(1, best.packed)
        why += f"; level {smallest.level} would save {saved:.1%} more of the download and pack {more:.1f} times as long"
    return best.level, why
