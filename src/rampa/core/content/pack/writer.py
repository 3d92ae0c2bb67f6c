"""Making packs of the chunks that are missing somewhere: read again, checked, grouped, compressed on several threads."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from blake3 import blake3

from rampa.core import parallel
from rampa.core.binaries.read_at import of_descriptor
from rampa.core.content.pack.compression import PackingRules
from rampa.core.content.pack.filter_choice import Shape, shape_in
from rampa.core.content.pack.pack import PACK_TARGET, PackWriter
from rampa.core.content.pack.shared_frames import Place, SharedFrame, shared_frames
from rampa.core.content.scan.buffers import ThreadRoom, read_into
from rampa.core.content.tree.paths import printable
from rampa.core.errors import Conflict

AHEAD = 8
"""Frames in flight: enough to keep the threads busy while a finished pack is written or sent."""
_room = ThreadRoom()


@dataclass(frozen=True)
class MadePack:
    data: bytes
    content_size: int
    """Raw bytes of the chunks in it."""


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
        frames = shared_frames(wanted, rules or PackingRules(), lambda path: _shape(sources[path]))
        work = parallel.in_order(threads, lambda f: (f, _stored(sources, f)), frames, ahead=AHEAD)
        for frame, stored in work:
            writer.add((p.chunk for p in frame.places), stored)
            # Closed only after a frame is whole: a pack may be larger than its target by one frame.
            if writer.full(pack_target):
                yield MadePack(writer.finish(), writer.raw)
                writer = PackWriter()
    if writer.size:
        yield MadePack(writer.finish(), writer.raw)


def _shape(source: Path) -> Shape | None:
    try:
        with source.open("rb", buffering=0) as stream:
            return shape_in(of_descriptor(stream.fileno()))
    except OSError:
        return None  # reading its content says why, in a moment


def _stored(sources: Mapping[str, Path], frame: SharedFrame) -> bytes:
    """Compressed; its content is read with one call where chunks lie one behind the other."""
    content, at = _room.of(frame.raw), 0
    for run in frame.stretches():
        size = run[-1].end - run[0].offset
        _read_run(sources[run[0].path], run, content[at : at + size])
        at += size
    return frame.compressed(content)


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
