"""What goes into each frame: chunks of one group and one filter, in the order of the files, up to a size."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from rampa.core.content.layout.order import READ, FileOrder
from rampa.core.content.pack import filters
from rampa.core.content.pack.filter_choice import Shape
from rampa.core.content.pack.filters import Filter, Run
from rampa.core.content.tree.columns import Numbers
from rampa.core.content.tree.tree import Chunk, Tree


@dataclass(frozen=True, slots=True)
class Span:
    """Chunks that lie one behind the other in a file, from `offset` on; `shape` where the frame is filtered."""

    path: str
    offset: int
    chunks: list[Chunk]
    shape: Shape | None

    @property
    def size(self) -> int:
        return sum(c.size for c in self.chunks)


@dataclass(frozen=True, slots=True)
class FramePlan:
    group: int
    filter: Filter | None
    spans: list[Span]

    @property
    def size(self) -> int:
        return sum(s.size for s in self.spans)

    @property
    def chunks(self) -> list[Chunk]:
        return [c for s in self.spans for c in s.chunks]

    def content(self, read: READ) -> bytes:
        """As it is, not filtered."""
        return b"".join(read(s.path, s.offset, s.size) for s in self.spans)

    def filtered(self, content: bytes) -> tuple[bytes, Filter | None, list[Run]]:
        """What is to be compressed, and what a reader needs to turn it back."""
        if self.filter is None:
            return content, None, []
        runs = [run for s in self.spans if s.shape for run in s.shape.runs(s.offset, s.size)]
        # A frame holds 16 bits' worth of runs; one with more has hardly a stretch that is worth it.
        if len(runs) > filters.MOST_RUNS:
            return content, None, []
        return filters.apply(content, self.filter, runs), self.filter, runs


class _Open:
    """A frame that is being filled."""

    def __init__(self) -> None:
        self.spans: list[Span] = []
        self.size = 0
        self._end = (-1, -1)

    def add(self, number: int, path: str, offset: int, chunk: Chunk, shape: Shape | None) -> None:
        if self._end != (number, offset):
            self.spans.append(Span(path, offset, [], shape))
        self.spans[-1].chunks.append(chunk)
        self._end = (number, offset + chunk.size)
        self.size += chunk.size


def plan_frames(
    tree: Tree, order: FileOrder, groups: Numbers, limit: int, used: frozenset[Filter]
) -> Iterator[FramePlan]:
    """Every chunk once. `limit`: raw bytes of a frame, which holds at least one chunk; `used`: the filters that pay."""
    files, chunks = tree.files, tree.chunks
    starts = files.starts
    done = bytearray(len(chunks))
    open_: dict[tuple[int, Filter | None], _Open] = {}
    for number in order.numbers:
        shape = order.shapes.get(number)
        shape = shape if shape is not None and shape.filter in used else None
        offset = 0
        for at in files.numbers[int(starts[number]) : files.ends[number]]:
            size = chunks.sizes[at]
            if not done[at]:
                done[at] = 1
                key = (int(groups[at]), shape.filter if shape else None)
                frame = open_.setdefault(key, _Open())
                if frame.spans and frame.size + size > limit:
                    yield FramePlan(*key, frame.spans)
                    frame = open_[key] = _Open()
                frame.add(number, files.paths[number], offset, chunks[at], shape)
            offset += size
    for key, frame in open_.items():
        yield FramePlan(*key, frame.spans)
