"""What filters and dictionaries would gain on a tree: frames of a mebibyte at level 3, with and without them."""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import zstandard

from bench.rows import Figure, Tree
from rampa.core.binaries.read_at import of_descriptor
from rampa.core.content.pack.compression import Packing
from rampa.core.content.pack.filter_choice import Shape, shape_in
from rampa.core.content.pack.filters import BLOCKS, CODE, SOUND
from rampa.core.content.pack.pack import FRAME_TARGET, compress, compress_filtered

KINDS = (("sound", SOUND), ("blocks", BLOCKS), ("code", CODE))
LEVEL = Packing(3, filtered=True)
SMALL, SAMPLES, MOST = 64 * 1024, 2000, 64_000_000
DICTIONARY = 64 * 1024


def filters(tree: Tree) -> list[Figure]:
    """Every file that has a shape; `theirs` is the same content without its filter."""
    sizes = {SOUND: [0, 0], BLOCKS: [0, 0], CODE: [0, 0]}
    for path in _files(tree.v1):
        with path.open("rb") as stream:
            shape = shape_in(of_descriptor(stream.fileno()))
        if shape:
            plain, filtered = _both(path, shape)
            sizes[shape.filter.kind][0] += filtered
            sizes[shape.filter.kind][1] += plain
    return [_figure(f"filter-size-{name}", *sizes[kind]) for name, kind in KINDS]


def _both(path: Path, shape: Shape) -> tuple[int, int]:
    plain = filtered = offset = 0
    with path.open("rb") as stream:
        while piece := stream.read(FRAME_TARGET):
            plain += len(compress(piece, Packing(3)))
            filtered += len(compress_filtered(piece, LEVEL, shape.filter, shape.runs(offset, len(piece))))
            offset += len(piece)
    return plain, filtered


def _figure(row: str, ours: int, theirs: int) -> Figure:
    note = "" if theirs else "the tree has no such files"
    return Figure(row, ours, theirs or None, "bytes", 0.95, note)


def dictionary(tree: Tree) -> list[Figure]:
    """Small files share frames; `ours` is with a trained dictionary, which travels too."""
    small, size = [], 0
    for path in _files(tree.v1):
        if 0 < path.stat().st_size <= SMALL and size < MOST:
            small.append(path.read_bytes())
            size += len(small[-1])
    if len(small) < 100:
        return [Figure("dictionary-size-plain", 0, None, "bytes", 0.95, "the tree has hardly any small files")]
    chosen: list[Any] = random.Random(1).sample(small, min(SAMPLES, len(small)))
    trained = zstandard.train_dictionary(DICTIONARY, chosen)
    form = zstandard.ZstdCompressionParameters.from_level(3, source_size=FRAME_TARGET, window_log=20, min_match=4)
    packer = zstandard.ZstdCompressor(compression_params=form, dict_data=trained)
    frames = list(_frames(small))
    own = sum(len(packer.compress(f)) for f in frames) + len(trained.as_bytes())
    return [Figure("dictionary-size-plain", own, sum(len(compress(f, Packing(3))) for f in frames), "bytes", 0.95)]


def _frames(small: list[bytes]) -> Iterator[bytes]:
    frame = bytearray()
    for data in small:
        if frame and len(frame) + len(data) > FRAME_TARGET:
            yield bytes(frame)
            frame.clear()
        frame += data
    yield bytes(frame)


def _files(root: Path) -> list[Path]:
    return sorted(p for p in root.rglob("*") if p.is_file() and not p.is_symlink())
