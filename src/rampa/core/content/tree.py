"""What a folder holds once it was read: entries with their chunks."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import pairwise

from rampa.core.content.paths import printable
from rampa.core.errors import Damaged

DIGEST_SIZE = 32
LOOSE = ("keep", "replace", "aside")
"""What an update does with a loose file that the player changed: keeps it, replaces it, sets it aside and replaces it."""


@dataclass(frozen=True, slots=True)
class Chunk:
    """A content-addressed piece: BLAKE3 digest (32 bytes) and size in bytes."""

    digest: bytes
    size: int


@dataclass(frozen=True, slots=True)
class FileEntry:
    """A regular file. `digest` is the BLAKE3 of its whole content; `chunks` are in order and sum up to `size`."""

    path: str
    size: int
    executable: bool
    digest: bytes
    chunks: tuple[Chunk, ...]
    loose: str = ""
    """One of LOOSE for a file that players may change, else empty."""


@dataclass(frozen=True, slots=True)
class LinkEntry:
    """A symbolic link whose target stays inside the tree."""

    path: str
    target: str


@dataclass(frozen=True, slots=True)
class Tree:
    """Files and links, each sorted by path (code points)."""

    files: tuple[FileEntry, ...]
    links: tuple[LinkEntry, ...] = field(default=())

    @property
    def size(self) -> int:
        return sum(f.size for f in self.files)


def check_tree(tree: Tree) -> Tree:
    """Returns a tree that can be written: sorted, no path twice, nothing below a file or a link. Raises `Damaged`."""
    for row in ([f.path for f in tree.files], [k.path for k in tree.links]):
        if any(a >= b for a, b in pairwise(row)):
            raise Damaged("tree.damaged", "the paths are not sorted, or one stands twice")
    leaves = {f.path for f in tree.files} | {k.path for k in tree.links}
    if len(leaves) != len(tree.files) + len(tree.links):
        raise Damaged("tree.damaged", "a path is both a file and a link")
    for path in leaves:
        folder = path
        while "/" in folder:
            folder = folder.rpartition("/")[0]
            if folder in leaves:
                raise Damaged("tree.damaged", "a path lies below a file or a link", where=printable(path))
    return tree


def merge(trees: Iterable[Tree]) -> Tree:
    """The tree that several depots make together. Raises `Damaged` when two deliver the same path."""
    own = list(trees)
    files = sorted((f for t in own for f in t.files), key=lambda f: f.path)
    links = sorted((k for t in own for k in t.links), key=lambda k: k.path)
    return check_tree(Tree(tuple(files), tuple(links)))
