"""Cutting content into chunks: candidates from the rolling hash, then cuts from candidates.

`Cutter` is fed pieces in order and answers with the cuts that can no longer change; what it answers depends on the
content alone and never on how the content was fed.
"""

from __future__ import annotations

import array
import importlib
from bisect import bisect_left
from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any

import numpy as np

from rampa.core.content.tree.parameters import DEFAULT, WINDOW, CutParameters, gear_table

_cut_kernel: Any
try:
    _cut_kernel = importlib.import_module("rampa.core.content.scan._cut_kernel")
except ImportError:  # no C compiler when Rampa was installed
    _cut_kernel = None

Buffer = bytes | bytearray | memoryview
Finder = Callable[[Buffer, int, CutParameters], "np.ndarray"]


@lru_cache(maxsize=1)
def _table() -> np.ndarray:
    return np.array(gear_table(), dtype=np.uint64)


def candidates_kernel(data: Buffer, warm: int, parameters: CutParameters) -> np.ndarray:
    """Candidate positions in `data`, each as `position * 2 + strict`; the first `warm` bytes only fill the window."""
    found = _cut_kernel.candidates(data, _table(), warm, parameters.loose_shift, parameters.strict_shift)
    return np.frombuffer(found, dtype=np.uint64)


def candidates_numpy(data: Buffer, warm: int, parameters: CutParameters) -> np.ndarray:
    """The same candidates where no kernel was built: the window's sum by doubling, 64 = 2**6."""
    found: list[np.ndarray] = []
    # A megabyte of content is eight of hashes: blocks keep them in a processor's cache.
    block = 1 << 20
    for start in range(warm, len(data), block):
        head = min(start, WINDOW - 1)
        piece = np.frombuffer(data, dtype=np.uint8)[start - head : start + block]
        hashes = _table()[piece]
        # Sums of 1, 2, 4 … 32 neighbours: six passes over the block in place of 64.
        for step in (1, 2, 4, 8, 16, 32):
            hashes[step:] += hashes[:-step].copy() << np.uint64(step)
        hashes = hashes[head:]
        at = np.flatnonzero(hashes >> np.uint64(parameters.loose_shift) == 0)
        strict = hashes[at] >> np.uint64(parameters.strict_shift) == 0
        found.append((at + (start + 1)).astype(np.uint64) * np.uint64(2) + strict.astype(np.uint64))
    return np.concatenate(found) if found else np.empty(0, dtype=np.uint64)


candidates: Finder = candidates_kernel if _cut_kernel is not None else candidates_numpy


class Cutter:
    """Turns candidates, fed in ascending order, into cuts. Positions are bytes from the content's start."""

    def __init__(self, parameters: CutParameters = DEFAULT) -> None:
        self._p = parameters
        self._start = 0
        self._strict: array.array[int] = array.array("Q")
        self._loose: array.array[int] = array.array("Q")

    def feed(self, found: np.ndarray, offset: int, end: int) -> Iterator[int]:
        """Takes candidates of a piece (`position * 2 + strict`, relative to `offset`) that reaches up to `end`."""
        positions = (found >> np.uint64(1)) + np.uint64(offset)
        self._loose.extend(positions.tolist())
        self._strict.extend(positions[(found & np.uint64(1)) == 1].tolist())
        # Only when a whole maximum is there: with less, content that comes later could still move the cut.
        while end - self._start >= self._p.maximum:
            yield self._cut(end)
        self._forget()

    def finish(self, end: int) -> Iterator[int]:
        """The last cuts; the content ends at `end`."""
        while self._start < end:
            yield self._cut(end)

    def _cut(self, end: int) -> int:
        """The next cut; certain when a whole maximum lies before `end`, or the content ends there."""
        low, middle = self._start + self._p.minimum, self._start + self._p.average
        high = min(self._start + self._p.maximum, end)
        at = bisect_left(self._strict, low)
        if at < len(self._strict) and self._strict[at] < min(middle, high):
            cut = self._strict[at]
        else:
            at = bisect_left(self._loose, middle)
            cut = self._loose[at] if at < len(self._loose) and self._loose[at] < high else high
        self._start = cut
        return cut

    def _forget(self) -> None:
        # What lies before the last cut can never be asked for: without this a file of a terabyte would keep all its
        # candidates.
        for row in (self._strict, self._loose):
            del row[: bisect_left(row, self._start)]


def cut_all(data: Buffer, parameters: CutParameters = DEFAULT, find: Finder | None = None) -> list[int]:
    """The cuts of content that is in memory: the end of every chunk, the last one `len(data)`."""
    cutter = Cutter(parameters)
    found = (find or candidates)(data, 0, parameters)
    return [*cutter.feed(found, 0, len(data)), *cutter.finish(len(data))]
