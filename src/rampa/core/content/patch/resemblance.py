"""Which old file a new one comes from where neither its name nor its chunks say so: what is named after its content changes
its name with every release.

A file's sketch: the least hashes of all runs of 8 bytes in a few samples of it. The share of them that two files have in common
is about the share of such runs that they have in common (Broder, On the resemblance and containment of documents, 1997).
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence

import numpy as np

from rampa.core.content.layout.order import READ, ending_of
from rampa.core.content.tree.columns import Numbers
from rampa.core.content.tree.tree import FileEntry

LEAST = 4096
"""Smaller files go without a difference of their own."""
SAMPLES, SAMPLE = 3, 64 * 1024
RUN = 8
FACTOR, SPARSE = np.uint64(0x9E3779B97F4A7C15), np.uint64(1 << 60)
"""Hashes above the second are not looked at: one of sixteen runs is enough to find the least."""
KEPT = 128
ALIKE = 0.25
MOST = 1000
"""Files of each build that are looked into: the largest."""
COMMON = 32
"""A hash that more old files have says nothing: it is of a header, or of zeros."""


def sketch(pieces: Iterable[bytes]) -> Numbers:
    """The least hashes, ascending, each once; at most `KEPT`."""
    return np.unique(np.concatenate([_hashes(b""), *map(_hashes, pieces)]))[:KEPT]


def _hashes(piece: bytes) -> Numbers:
    runs = [np.frombuffer(piece[at : at + (len(piece) - at) // RUN * RUN], "<u8") for at in range(RUN)]
    joined = np.concatenate(runs)
    # A product's high bits hang on all bits of the run, its low ones do not.
    spread = (joined ^ (joined >> np.uint64(32))) * FACTOR
    least: Numbers = spread[spread < SPARSE]
    return least


def resemblance(a: Numbers, b: Numbers) -> float:
    """0 to 1."""
    least = np.union1d(a, b)[:KEPT]
    return int((np.isin(least, a) & np.isin(least, b)).sum()) / max(1, len(least))


def find_resembling(
    files: Sequence[FileEntry], old: Sequence[FileEntry], read: READ, read_old: READ
) -> dict[str, FileEntry]:
    """New path -> the old file that it resembles most, of one ending; what resembles nothing is left out."""
    wanted = _largest(files)
    endings = {ending_of(f.path) for f in wanted}
    candidates = _largest(f for f in old if ending_of(f.path) in endings)
    sketches = [sketch(_samples(f, read_old)) for f in candidates]
    having: defaultdict[int, list[int]] = defaultdict(list)
    for number, each in enumerate(sketches):
        for value in each.tolist():
            having[value].append(number)
    out = {}
    for file in wanted if candidates else ():
        mine = sketch(_samples(file, read))
        shared = Counter(n for value in mine.tolist() if len(having.get(value, ())) <= COMMON for n in having[value])
        for number, _ in shared.most_common(1):
            if resemblance(mine, sketches[number]) >= ALIKE:
                out[file.path] = candidates[number]
    return out


def _largest(files: Iterable[FileEntry]) -> list[FileEntry]:
    """In the order of their paths: neighbours lie in the same frames."""
    largest = sorted((f for f in files if f.size >= LEAST), key=lambda f: (-f.size, f.path))[:MOST]
    return sorted(largest, key=lambda f: f.path)


def _samples(file: FileEntry, read: READ) -> list[bytes]:
    """From the beginning, and as far apart as they go."""
    if file.size <= SAMPLES * SAMPLE:
        return [read(file.path, 0, file.size)]
    step = (file.size - SAMPLE) // (SAMPLES - 1)
    return [read(file.path, at * step, SAMPLE) for at in range(SAMPLES)]
