"""Which stretches of the installed build hold chunks that are wanted."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from rampa.core.content.tree.columns import Numbers, column, view
from rampa.core.content.tree.regions import LocalContent
from rampa.core.content.tree.tree import Chunks

AT_ONCE = 2 * 1024 * 1024
"""Neighbouring chunks are copied from the old build with one read up to this many bytes."""


@dataclass(frozen=True, slots=True)
class Reused:
    """`size` bytes at `offset` of an old file, which are the chunks with these numbers, one behind the other."""

    path: str
    offset: int
    size: int
    numbers: list[int]


def runs(numbers: Numbers, held: Numbers, chunks: Chunks, have: LocalContent) -> Iterator[Reused]:
    """The chunks `numbers`, which the device has as its chunks `held`, in the order of its files."""
    file, offset = have.file[held], have.offset[held]
    # In the order of the old build's files: one pass over the disk in place of a jump for each chunk.
    order = np.lexsort((offset, file))
    size = view(chunks.sizes)[numbers].astype(np.int64)
    rows = [column("Q", values[order]) for values in (numbers, file, offset, size)]
    wanted: list[int] = []
    at, start, end = -1, 0, 0
    for number, of, begins, length in zip(*rows, strict=True):
        if wanted and (of != at or begins != end or begins - start >= AT_ONCE):
            yield Reused(have.tree.files.paths[at], start, end - start, wanted)
            wanted = []
        if not wanted:
            at, start = of, begins
        wanted.append(number)
        end = begins + length
    if wanted:
        yield Reused(have.tree.files.paths[at], start, end - start, wanted)
