"""Trying ways of packing on a sample of a build's content: codecs and levels, sizes of frames, filters."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from rampa.core import parallel
from rampa.core.ambient import Clock
from rampa.core.content.layout.audience import Audience
from rampa.core.content.layout.frames import FramePlan, plan_frames
from rampa.core.content.layout.order import READ, FileOrder
from rampa.core.content.layout.ways import CODECS, FRAMES, MIB, ZSTD, Tried, Way, choose, compress, table_of
from rampa.core.content.pack.filters import Filter
from rampa.core.content.pack.opening import open_pieces
from rampa.core.content.tree.tree import Tree

SAMPLE, LEAST_SAMPLE, SHARE = 16 * MIB, 4 * MIB, 8
"""Content that every codec is tried on, in pieces from all over the build: an eighth of it, within bounds."""
STRETCHES = 64 * MIB
"""Content that sizes of frames are tried on, in stretches of the largest frame."""
TRIED_FRAME = 8
FRAME_LEVEL = 12
FILTER_LEVEL = 6
WORTH = 0.98
"""A filter is used that saves a fiftieth of what it is for."""


@dataclass(frozen=True)
class Trial:
    """`filters`: (filter, its share of what the content takes without), of those that were tried; `used` those that pay."""

    table: list[Tried]
    chosen: Tried
    filters: list[tuple[Filter, float]]
    used: frozenset[Filter]
    seconds: float


@dataclass(frozen=True)
class Bounds:
    """What making packs may take: seconds of wall time on this machine; MiB of content in a frame, for devices with little
    memory."""

    seconds: float = 3600.0
    frame: int = 32


def try_ways(
    tree: Tree,
    order: FileOrder,
    read: READ,
    audience: Audience,
    clock: Clock,
    bounds: Bounds = Bounds(),
    workers: int = parallel.WORKERS,
    on: Callable[[str], None] = lambda _: None,
) -> Trial:
    """Raises `Invalid` when no way is within the bounds."""
    started = clock.seconds()
    one = np.zeros(len(tree.chunks), dtype=np.int64)
    every = frozenset(shape.filter for shape in order.shapes.values())
    raw = sum(tree.chunks.sizes)
    with parallel.pool(workers) as threads:
        sample = max(LEAST_SAMPLE, min(SAMPLE, raw // SHARE))
        pieces = _of_each_filter(list(plan_frames(tree, order, one, MIB, every)), raw, sample)
        filters = _filters(threads, pieces, read)
        used = frozenset(f for f, share in filters if share <= WORTH)
        on("filters")
        blocks = list(_blocks([_turned(p, read, used) for p in pieces], TRIED_FRAME * MIB))
        codecs = [_codec(threads, clock, way, blocks) for way in CODECS]
        on("codecs")
        plans = plan_frames(tree, order, one, MIB, used)
        gains = _gains(threads, [_turned(p, read, used) for p in _spread(plans, raw, STRETCHES, max(FRAMES))])
        on("frames")
    table = table_of(raw, codecs, gains, audience, bounds.frame, bounds.seconds)
    return Trial(table, choose(table), filters, used, clock.seconds() - started)


def _spread(plans: Iterator[FramePlan], raw: int, most: int, run: int) -> Iterator[FramePlan]:
    """Of frames one behind the other as many as hold about `most` bytes, evenly, in runs of `run`."""
    every = max(1, -(-raw // most))
    return (plan for number, plan in enumerate(plans) if number // run % every == every // 2)


def _of_each_filter(plans: Sequence[FramePlan], raw: int, most: int) -> list[FramePlan]:
    """A few, evenly, and one of every filter that they lack: it is tried though there is little for it."""
    chosen = list(_spread(iter(plans), raw, most, 1))
    there = {plan.filter for plan in chosen}
    first = {plan.filter: plan for plan in reversed(plans) if plan.filter not in there}
    return [*chosen, *first.values()]


def _filters(threads: ThreadPoolExecutor, pieces: Sequence[FramePlan], read: READ) -> list[tuple[Filter, float]]:
    sizes: dict[Filter, list[int]] = defaultdict(lambda: [0, 0])
    way = Way(ZSTD, FILTER_LEVEL, 1)

    def both(plan: FramePlan) -> tuple[Filter | None, int, int]:
        content = plan.content(read)
        return plan.filter, len(compress(plan.filtered(content)[0], way)), len(compress(content, way))

    for chosen, turned, plain in parallel.in_order(threads, both, [p for p in pieces if p.filter]):
        if chosen is not None:
            sizes[chosen][0] += turned
            sizes[chosen][1] += plain
    return [(chosen, turned / plain) for chosen, (turned, plain) in sizes.items()]


_Turned = tuple[Filter | None, bytes]
"""A piece's filter, and its bytes as they are compressed."""


def _turned(piece: FramePlan, read: READ, used: frozenset[Filter]) -> _Turned:
    content = piece.content(read)
    return piece.filter, piece.filtered(content)[0] if piece.filter in used else content


def _blocks(pieces: Sequence[_Turned], limit: int) -> Iterator[bytes]:
    """Those of one filter together, up to a size."""
    open_: dict[Filter | None, list[bytes]] = {}
    for chosen, data in pieces:
        block = open_.setdefault(chosen, [])
        if block and sum(map(len, block)) + len(data) > limit:
            yield b"".join(block)
            block = open_[chosen] = []
        block.append(data)
    yield from map(b"".join, open_.values())


def _codec(
    threads: ThreadPoolExecutor, clock: Clock, codec: tuple[str, int], blocks: Sequence[bytes]
) -> tuple[str, int, float, float, float]:
    raw = max(1, sum(map(len, blocks)))
    way = Way(*codec, TRIED_FRAME)
    started = clock.seconds()
    packed = list(parallel.in_order(threads, lambda b: compress(b, way), blocks))
    between = clock.seconds()
    pairs = zip(packed, blocks, strict=True)
    for _ in parallel.in_order(threads, lambda p: sum(map(len, open_pieces(p[0], len(p[1])))), pairs):
        pass
    ended = clock.seconds()
    return *codec, sum(map(len, packed)) / raw, (between - started) / raw, (ended - between) / raw


def _gains(threads: ThreadPoolExecutor, pieces: Sequence[_Turned]) -> list[tuple[int, float]]:
    """(MiB of a frame, size beside that of the frames that codecs are tried in)."""
    sizes = {}
    for frame in FRAMES:
        way, blocks = Way(ZSTD, FRAME_LEVEL, frame), _blocks(pieces, frame * MIB)
        packed = parallel.in_order(threads, lambda b, w=way: len(compress(b, w)), blocks)  # type: ignore[misc]
        sizes[frame] = max(1, sum(packed))
    return [(frame, sizes[frame] / sizes[TRIED_FRAME]) for frame in FRAMES]
