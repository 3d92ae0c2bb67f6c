"""Why an update of a file costs so much for how little change, and what to do about it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from rampa.core.binaries.segments import HEAD, read_image
from rampa.core.content.tree.tree import FileEntry

LOOKED_AT = 16 * 1024 * 1024
"""Bytes of a file that are compared byte by byte."""
READ = Callable[[str, int, int], bytes]


@dataclass(frozen=True)
class Reason:
    """`code` is stable; `why` is a clause, `advice` a sentence."""

    code: str
    why: str
    advice: str


INDEX = Reason(
    "index-first",
    "only its start changed: an index or a header is written again",
    "Write the index at the end or into a file of its own, and keep the order of what it lists.",
)
STAMPS = Reason(
    "stamps",
    "a few bytes changed in it, in many places: times, counters or build numbers",
    "Leave them out of what is exported, or write them into one small file.",
)
PACKED = Reason(
    "packed-before",
    "it is compressed or encrypted before packing, so a small change alters everything behind it",
    "Export it plain: Rampa compresses and encrypts, and then only what changed travels.",
)
RECOMPILED = Reason(
    "recompiled",
    "a program was compiled again: its addresses moved",
    "Nothing to do: differences carry it, where the service makes them.",
)
SHIFTED = Reason(
    "shifted",
    "its content was moved about or written in another order",
    "Keep the order of the exported content from build to build, and append what is new.",
)
REPLACED = Reason(
    "replaced",
    "its content is another one",
    "Nothing to do, if it was meant to change; else look at what the export did with it.",
)
NEW_CONTENT = Reason("new", "it is new content", "Nothing to do.")


def reason(new: FileEntry, old: FileEntry | None, share: float, read_new: READ, read_old: READ) -> Reason:
    """`share`: about how much of the file's bytes zstd leaves, 0 to 1."""
    if old is None:
        return NEW_CONTENT
    held = {c.digest for c in old.chunks}
    missing = [i for i, c in enumerate(new.chunks) if c.digest not in held]
    # From the surest sign to the vaguest: each question below holds for more files than the one above.
    if len(new.chunks) >= 4 and missing and max(missing) <= len(new.chunks) // 10:
        return INDEX
    if read_image(read_new(new.path, 0, HEAD)):
        return RECOMPILED
    if _only_stamps(new, old, read_new, read_old):
        return STAMPS
    if share > 0.95 and len(missing) > 0.7 * len(new.chunks):
        return PACKED
    return SHIFTED if old.size and abs(new.size - old.size) < 0.2 * old.size else REPLACED


def _only_stamps(new: FileEntry, old: FileEntry, read_new: READ, read_old: READ) -> bool:
    """The same length, and at most one byte in two hundred differs, in short runs."""
    if new.size != old.size or not new.size:
        return False
    size = min(new.size, LOOKED_AT)
    before = np.frombuffer(read_old(old.path, 0, size), dtype=np.uint8)
    after = np.frombuffer(read_new(new.path, 0, size), dtype=np.uint8)
    if len(before) != len(after):
        return False
    places = np.flatnonzero(before != after)
    if not len(places) or len(places) > max(16, size // 200):
        return False
    runs = int((np.diff(places) > 8).sum()) + 1
    return len(places) / runs <= 24
