"""Which chunks share a frame as they are sent: those of one packing and one filter, in the order of the files."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from rampa.core.content.pack.compression import Packing, PackingRules
from rampa.core.content.pack.filter_choice import Shape
from rampa.core.content.pack.filters import Run
from rampa.core.content.pack.pack import FRAME_TARGET, LONG_TARGET, compress, compress_filtered
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.tree import Chunk, Tree


@dataclass(frozen=True, slots=True)
class Place:
    """Where a chunk can be read: a file's path and the chunk's offset in it, in bytes."""

    chunk: Chunk
    path: str
    offset: int

    @property
    def end(self) -> int:
        return self.offset + self.chunk.size


@dataclass(slots=True)
class SharedFrame:
    """Its chunks, one behind the other; `shapes` of the files that are filtered, by path. `raw` in bytes."""

    packing: Packing
    shapes: dict[str, Shape]
    places: list[Place]
    raw: int = 0

    def stretches(self) -> Iterator[list[Place]]:
        """Chunks that lie one behind the other in a file."""
        places, at = self.places, 0
        while at < len(places):
            run = at + 1
            while (
                run < len(places) and places[run].path == places[at].path and places[run].offset == places[run - 1].end
            ):
                run += 1
            yield places[at:run]
            at = run

    def compressed(self, content: bytes | memoryview) -> bytes:
        """`content` is what the chunks hold."""
        if not self.shapes:
            return compress(content, self.packing)
        runs: list[Run] = []
        for run in self.stretches():
            runs += self.shapes[run[0].path].runs(run[0].offset, run[-1].end - run[0].offset)
        chosen = self.shapes[self.places[0].path].filter
        return compress_filtered(content, self.packing, chosen, runs)


def places(tree: Tree, wanted: Digests | None = None) -> Iterator[Place]:
    """Each wanted chunk (all, without `wanted`) once, in file order."""
    files, chunks = tree.files, tree.chunks
    # A byte for each chunk, not a set: at a million chunks a set takes a hundred times as much.
    todo = bytearray(b"\1") * len(chunks)
    if wanted is not None:
        todo = bytearray((wanted.find_all(chunks.digests) >= 0).tobytes())
    use = 0
    for path, end in zip(files.paths, files.ends, strict=True):
        offset = 0
        for number in files.numbers[use:end]:
            size = chunks.sizes[number]
            if todo[number]:
                todo[number] = 0
                yield Place(chunks[number], path, offset)
            offset += size
        use = end


def shared_frames(
    wanted: Iterator[Place], rules: PackingRules, shape: Callable[[str], Shape | None]
) -> Iterator[SharedFrame]:
    """`shape` reads what a path's file is."""
    open_: dict[object, SharedFrame] = {}
    path, packing, found = "", rules.of(""), None
    # Frames of one kind only: a filter needs its records whole, and a long memory is of use to its own kind.
    for place in wanted:
        if place.path != path:
            path, packing = place.path, rules.of(place.path)
            found = shape(path) if packing.filtered else None
        key = (packing, found.filter if found else None)
        frame, limit = open_.get(key), LONG_TARGET if packing.long else FRAME_TARGET
        if frame is not None and frame.raw + place.chunk.size > limit:
            yield frame
            frame = None
        if frame is None:
            frame = open_[key] = SharedFrame(packing, {}, [])
        if found is not None:
            frame.shapes[path] = found
        frame.places.append(place)
        frame.raw += place.chunk.size
    yield from open_.values()
