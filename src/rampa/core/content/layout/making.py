"""Making the frames that players download: in order, on several threads, as a trial chose."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from rampa.core import parallel
from rampa.core.content.layout.frames import FramePlan, plan_frames
from rampa.core.content.layout.order import READ, FileOrder
from rampa.core.content.layout.ways import MIB, Way, compress
from rampa.core.content.pack import filters
from rampa.core.content.pack.filters import Filter
from rampa.core.content.tree.columns import Numbers
from rampa.core.content.tree.tree import Chunk, Tree


@dataclass(frozen=True)
class MadeFrame:
    """`stored` is the compressed frame of these chunks, one behind the other: `raw` bytes; `group`: who may share a pack."""

    group: int
    chunks: list[Chunk]
    stored: bytes
    raw: int


def make_frames(
    tree: Tree,
    order: FileOrder,
    groups: Numbers,
    read: READ,
    way: Way,
    used: frozenset[Filter],
    wanted: Callable[[FramePlan], bool] = lambda _: True,
    workers: int = parallel.WORKERS,
) -> Iterator[MadeFrame]:
    """The same content, order and way give the same frames. `wanted` says no to those that an earlier run has made."""
    plans = (p for p in plan_frames(tree, order, groups, way.frame * MIB, used) if wanted(p))
    with parallel.pool(workers) as threads:
        # As many as there are threads: each takes ten times its content while it is packed.
        yield from parallel.in_order(threads, lambda plan: make_frame(plan, read, way), plans, ahead=workers)


def make_frame(plan: FramePlan, read: READ, way: Way) -> MadeFrame:
    content, chosen, runs = plan.filtered(plan.content(read))
    stored = compress(content, way)
    if chosen is not None:
        stored = filters.wrap(stored, chosen, runs)
    return MadeFrame(plan.group, plan.chunks, stored, plan.size)
