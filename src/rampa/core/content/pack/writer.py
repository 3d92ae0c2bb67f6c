"""Making packs of the chunks that are missing somewhere: read again, checked, grouped, compressed on several threads."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from blake3 import blake3

from rampa.core import parallel
from rampa.core.content.pack.compression import Packing, PackingRules
from rampa.core.content.pack.filter_choice import HEADER, Shape, shape_of
from rampa.core.content.pack.filters import Filter, Run
from rampa.core.content.pack.pack import FRAME_TARGET, LONG_TARGET, PACK_TARGET, PackWriter, compress, compress_filtered
from rampa.core.content.scan.buffers import ThreadRoom, read_into
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.paths import printable
from rampa.core.content.tree.tree import Chunk, Tree
from rampa.core.errors import Conflict

AHEAD = 8
"""Frames in flight: enough to keep the threads busy while a finished pack is written or sent."""
_room = ThreadRoom()


@dataclass(frozen=True, slots=True)
class Place:
    """Where a chunk can be read: a file's delivered path and the chunk's offset in it, in bytes."""

    chunk: Chunk
    path: str
    offset: int


@dataclass(frozen=True)
class MadePack:
    data: bytes
    content_size: int
    """Raw bytes of the chunks in it."""


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


def make_packs(
    sources: Mapping[str, Path],
    wanted: Iterator[Place],
    *,
    pack_target: int = PACK_TARGET,
    rules: PackingRules | None = None,
    workers: int = parallel.WORKERS,
) -> Iterator[MadePack]:
    """Packs of about `pack_target` stored bytes, compressed as `rules` say. `sources` gives each delivered path's file.

    Raises `Conflict` when a file is no longer what was read.
    """
    writer = PackWriter()
    with parallel.pool(workers) as threads:
        shapes: _Shapes = {}
        groups = _groups(wanted, rules or PackingRules(), sources, shapes)
        work = parallel.in_order(threads, lambda g: (g[1], _frame(sources, shapes, *g)), groups, ahead=AHEAD)
        for places, stored in work:
            writer.add((p.chunk for p in places), stored)
            # Closed only after a frame is whole: a pack may be larger than its target by one frame.
            if writer.full(pack_target):
                yield MadePack(writer.finish(), writer.raw)
                writer = PackWriter()
    if writer.size:
        yield MadePack(writer.finish(), writer.raw)


_How = tuple[Packing, Filter | None]
"""What a frame's chunks have in common."""
_Shapes = dict[str, Shape]
"""By path, of the files that are filtered."""


def _groups(
    wanted: Iterator[Place], rules: PackingRules, sources: Mapping[str, Path], shapes: _Shapes
) -> Iterator[tuple[_How, list[Place]]]:
    """Chunks that share a frame: those of one packing and one filter, in file order. Fills `shapes`."""
    open_: dict[_How, list[Place]] = {}
    sizes: dict[_How, int] = {}
    path = ""
    how: _How = (rules.of(""), None)
    # Frames of one kind only: a filter needs its records whole, and a long memory is of use to its own kind.
    for place in wanted:
        if place.path != path:
            path, packing = place.path, rules.of(place.path)
            shape = _shape(sources[path]) if packing.filtered else None
            if shape is not None:
                shapes[path] = shape
            how = (packing, shape.filter if shape else None)
        places, limit = open_.setdefault(how, []), LONG_TARGET if how[0].long else FRAME_TARGET
        if places and sizes[how] + place.chunk.size > limit:
            yield how, places
            places = open_[how] = []
            sizes[how] = 0
        places.append(place)
        sizes[how] = sizes.get(how, 0) + place.chunk.size
    yield from ((how, places) for how, places in open_.items() if places)


def _shape(source: Path) -> Shape | None:
    try:
        with source.open("rb", buffering=0) as stream:
            return shape_of(stream.read(HEADER))
    except OSError:
        return None  # reading its content says why, in a moment


def _frame(sources: Mapping[str, Path], shapes: _Shapes, how: _How, places: list[Place]) -> bytes:
    """A frame, compressed; its content is read with one call where chunks lie one behind the other."""
    packing, chosen = how
    content, at = _room.of(sum(p.chunk.size for p in places)), 0
    shaped: list[Run] = []
    for run in _runs(places):
        size = _end(run[-1]) - run[0].offset
        _read_run(sources[run[0].path], run, content[at : at + size])
        at += size
        if chosen is not None:
            shaped += shapes[run[0].path].runs(run[0].offset, size)
    if chosen is None:
        return compress(content, packing)
    return compress_filtered(content, packing, chosen, shaped)


def _runs(places: list[Place]) -> Iterator[list[Place]]:
    at = 0
    while at < len(places):
        run = at + 1
        while run < len(places) and places[run].path == places[at].path and places[run].offset == _end(places[run - 1]):
            run += 1
        yield places[at:run]
        at = run


def _end(place: Place) -> int:
    return place.offset + place.chunk.size


def _read_run(source: Path, run: list[Place], into: memoryview) -> None:
    try:
        fd = os.open(source, os.O_RDONLY | getattr(os, "O_BINARY", 0))
        try:
            read = read_into(fd, into, run[0].offset)
        finally:
            os.close(fd)
    except OSError as error:
        raise _changed(run[0].path) from error
    view, at = into[:read], 0
    for place in run:
        # Read again and checked, since the folder was read for its digests a while ago: nothing goes up under a digest
        # that it does not have.
        if blake3(view[at : at + place.chunk.size]).digest() != place.chunk.digest:
            raise _changed(place.path)
        at += place.chunk.size


def _changed(path: str) -> Conflict:
    return Conflict(
        "file.changed",
        "this file changed after it was read",
        where=printable(path),
        hint="Let the export finish, then run the command again: what was uploaded is kept.",
    )
