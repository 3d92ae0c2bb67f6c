"""What a device has: whole files and chunks of the build that is installed."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from rampa.core.content.tree.columns import Digests, Numbers, view
from rampa.core.content.tree.tree import FileEntry, Tree


@dataclass(frozen=True)
class LocalContent:
    """Chunks of `tree` by number: `file` holds each one (-1: none does) at `offset` bytes.

    `sound`: its files may be taken whole.
    """

    tree: Tree = field(default_factory=Tree)
    file: Numbers = field(default_factory=lambda: np.zeros(0, np.int64))
    offset: Numbers = field(default_factory=lambda: np.zeros(0, np.int64))
    sound: bool = True

    def find_chunks(self, digests: Digests) -> Numbers:
        """For each, its number here, or -1."""
        found = self.tree.chunks.digests.find_all(digests)
        if len(self.file):
            found[self.file[found] < 0] = -1
        return found

    def find_file(self, digest: bytes) -> FileEntry | None:
        """A file with this content."""
        at = self.tree.files.digests.find(digest) if self.sound else -1
        return self.tree.files[at] if at >= 0 else None

    def wholes(self, new: Tree) -> Numbers:
        """For each file of `new`, the file here that it can be linked to, or -1.

        A player file is copied, since a player may write to it.
        """
        # The damaged tree's whole files are not known to be whole: only chunks that were read count.
        if not self.sound or not len(new.files):
            return np.full(len(new.files), -1, dtype=np.int64)
        found = self.tree.files.digests.find_all(new.files.digests)
        # Above 1: a bit of a player file's rule is set.
        found[np.frombuffer(new.files.modes, np.uint8) > 1] = -1
        return found


def local_content(tree: Tree) -> LocalContent:
    """What a device has on which `tree` is installed and untouched."""
    file, offset = uses_of(tree)
    # Any one use of a chunk will do to read it; the first lies where the files are read in order.
    _, first = np.unique(view(tree.files.numbers), return_index=True)
    return LocalContent(tree, file[first], offset[first])


def uses_of(tree: Tree) -> tuple[Numbers, Numbers]:
    """For each use of a chunk: the number of its file, and its offset there in bytes."""
    files = tree.files
    counts = np.diff(view(files.ends), prepend=np.uint64(0)).astype(np.int64)
    file = np.repeat(np.arange(len(files)), counts)
    sizes = view(files.chunks.sizes)[view(files.numbers)].astype(np.int64)
    before = np.cumsum(sizes) - sizes
    first = np.concatenate([before, np.zeros(1, np.int64)])[np.minimum(files.starts, len(before))]
    return file, before - first[file]
