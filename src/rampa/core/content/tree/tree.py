"""What a folder holds once it was read: files with their chunks, in columns, and links.

A tree of a million files takes about a hundred megabytes; `files` and `chunks` make their entries when they are asked for.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import overload

import numpy as np

from rampa.core.content.tree.columns import DIGEST_SIZE, Digests, Numbers, Texts, column, view
from rampa.core.content.tree.paths import lies_in
from rampa.core.content.tree.player_file_rules import PLAYER_FILE_RULES

__all__ = [
    "DIGEST_SIZE",
    "Chunk",
    "ChunkRun",
    "Chunks",
    "FileEntry",
    "Files",
    "LinkEntry",
    "Tree",
    "TreeBuilder",
]

_RULES = ("", *PLAYER_FILE_RULES)


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
    chunks: Sequence[Chunk]
    player_rule: str = ""
    """One of PLAYER_FILE_RULES for a file that players may change, else empty."""


@dataclass(frozen=True, slots=True)
class LinkEntry:
    """A symbolic link whose target stays inside the tree."""

    path: str
    target: str


@dataclass(frozen=True, slots=True)
class Chunks(Sequence[Chunk]):
    """Distinct chunks in order of first use: a chunk's number is its place here."""

    digests: Digests
    sizes: array[int]

    def __len__(self) -> int:
        return len(self.sizes)

    @overload
    def __getitem__(self, index: int) -> Chunk: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Chunk]: ...
    def __getitem__(self, index: int | slice) -> Chunk | Sequence[Chunk]:
        if isinstance(index, slice):
            return [self[i] for i in range(*index.indices(len(self)))]
        return Chunk(self.digests[index], self.sizes[index])


class ChunkRun(Sequence[Chunk]):
    """The chunks of one file, or a part of them."""

    __slots__ = ("_numbers", "_start", "_stop", "_table")

    def __init__(self, table: Chunks, numbers: array[int], start: int, stop: int) -> None:
        self._table, self._numbers, self._start, self._stop = table, numbers, start, stop

    def __len__(self) -> int:
        return self._stop - self._start

    @overload
    def __getitem__(self, index: int) -> Chunk: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Chunk]: ...
    def __getitem__(self, index: int | slice) -> Chunk | Sequence[Chunk]:
        if isinstance(index, slice):
            start, stop, step = index.indices(len(self))
            # A part of a run stays a run: an update walks these by the million, and a list would make every chunk an
            # object.
            if step == 1:
                return ChunkRun(self._table, self._numbers, self._start + start, self._start + max(start, stop))
            return [self[i] for i in range(start, stop, step)]
        return self._table[self._numbers[range(self._start, self._stop)[index]]]

    def __iter__(self) -> Iterator[Chunk]:
        for at in range(self._start, self._stop):
            yield self._table[self._numbers[at]]

    def columns(self) -> tuple[bytes, array[int]]:
        """Its digests, one behind the other, and its sizes."""
        numbers = self._numbers[self._start : self._stop]
        table, first = self._table, numbers[0] if numbers else 0
        # Chunks that came one behind the other when they were read are still so: one slice in place of thousands.
        if numbers == array(numbers.typecode, range(first, first + len(numbers))):
            last = first + len(numbers)
            return table.digests.joined[first * DIGEST_SIZE : last * DIGEST_SIZE], table.sizes[first:last]
        return b"".join(table.digests[n] for n in numbers), array("I", (table.sizes[n] for n in numbers))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and tuple(self) == tuple(other)

    def __hash__(self) -> int:
        return hash(tuple(self))


@dataclass(frozen=True, slots=True)
class Files(Sequence[FileEntry]):
    """Files in columns. `modes`: bit 0 executable, the bits above it the rule of a player file. `ends`: where each
    file's chunks end in `numbers`, which are places in `chunks`."""

    paths: Texts
    sizes: array[int]
    modes: bytes
    digests: Digests
    ends: array[int]
    numbers: array[int]
    chunks: Chunks

    def __len__(self) -> int:
        return len(self.sizes)

    @overload
    def __getitem__(self, index: int) -> FileEntry: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[FileEntry]: ...
    def __getitem__(self, index: int | slice) -> FileEntry | Sequence[FileEntry]:
        if isinstance(index, slice):
            return [self[i] for i in range(*index.indices(len(self)))]
        index = range(len(self))[index]
        run = ChunkRun(self.chunks, self.numbers, self.ends[index - 1] if index else 0, self.ends[index])
        mode = self.modes[index]
        return FileEntry(
            self.paths[index], self.sizes[index], bool(mode & 1), self.digests[index], run, _RULES[mode >> 1]
        )

    @property
    def starts(self) -> Numbers:
        """Where each file's chunks start in `numbers`."""
        ends = view(self.ends).astype(np.int64)
        return np.concatenate([np.zeros(1, np.int64), ends[:-1]]) if len(ends) else ends

    def take(self, order: Numbers) -> Files:
        """Some of the files, in this order; the chunks are numbered again."""
        starts, ends = self.starts[order], view(self.ends).astype(np.int64)[order]
        counts = ends - starts
        stops = np.cumsum(counts)
        # Every number of every file's run in one go: a loop over a million files in Python takes seconds.
        at = np.repeat(starts - (stops - counts), counts) + np.arange(int(counts.sum()))
        chunks, numbers = by_first_use(self.chunks, view(self.numbers)[at])
        return Files(
            self.paths.take(order),
            column("Q", view(self.sizes)[order]),
            np.frombuffer(self.modes, np.uint8)[order].tobytes(),
            self.digests.take(order),
            column("Q", stops),
            numbers,
            chunks,
        )

    def find(self, path: str) -> FileEntry | None:
        """A file of a sorted tree by its path."""
        at = self.paths.find(path)
        return self[at] if at >= 0 else None


class Tree:
    """Files and links, each sorted by path (code points)."""

    __slots__ = ("files", "links")

    def __init__(self, files: Iterable[FileEntry] = (), links: Iterable[LinkEntry] = ()) -> None:
        self.files = files if isinstance(files, Files) else TreeBuilder(files).files()
        self.links = tuple(links)

    @property
    def chunks(self) -> Chunks:
        """The distinct chunks, in order of first use."""
        return self.files.chunks

    @property
    def size(self) -> int:
        return sum(self.files.sizes)

    def size_of(self, path: str) -> int:
        """Bytes of the files at a path or below it."""
        return sum(size for name, size in zip(self.files.paths, self.files.sizes, strict=True) if lies_in(name, path))

    def take(self, order: Numbers) -> Tree:
        """The tree of these files, by number, without links."""
        if len(order) == len(self.files) and bool((order == np.arange(len(order))).all()):
            return Tree(self.files)
        return Tree(self.files.take(order))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Tree) and self.files == other.files and self.links == other.links

    def __hash__(self) -> int:
        return hash((self.files.paths, self.files.digests, self.links))

    def __repr__(self) -> str:
        return f"Tree({len(self.files)} files, {len(self.links)} links)"


class TreeBuilder:
    """Files added one by one, in the order that they shall have."""

    def __init__(self, files: Iterable[FileEntry] = ()) -> None:
        self._blob, self._path_ends = bytearray(), array("Q")
        self._sizes, self._modes, self._digests = array("Q"), bytearray(), bytearray()
        self._ends = array("Q")
        self._chunk_digests, self._chunk_sizes = bytearray(), array("I")
        for file in files:
            self.add(file)

    def add(self, file: FileEntry) -> None:
        digests, sizes = _columns(file.chunks)
        if len(file.digest) != DIGEST_SIZE:
            raise ValueError(f"a digest has {DIGEST_SIZE} bytes")
        self._blob += file.path.encode()
        self._path_ends.append(len(self._blob))
        self._sizes.append(file.size)
        self._modes.append(int(file.executable) | _RULES.index(file.player_rule) << 1)
        self._digests += file.digest
        self._chunk_digests += digests
        self._chunk_sizes += sizes
        self._ends.append(len(self._chunk_sizes))

    def files(self) -> Files:
        """All that was added; the builder is spent."""
        uses = Chunks(Digests(bytes(self._chunk_digests)), self._chunk_sizes)
        # Freed at once: at a million files this is what the builder would hold twice.
        self._chunk_digests.clear()
        chunks, numbers = by_first_use(uses, np.arange(len(uses)))
        texts = Texts(bytes(self._blob), self._path_ends)
        return Files(texts, self._sizes, bytes(self._modes), Digests(bytes(self._digests)), self._ends, numbers, chunks)

    def tree(self, links: Iterable[LinkEntry] = ()) -> Tree:
        """Sorted by path."""
        files = self.files()
        order = files.paths.order()
        return Tree(files if order is None else files.take(order), sorted(links, key=lambda k: k.path))


def _columns(chunks: Sequence[Chunk]) -> tuple[bytes, array[int]]:
    if isinstance(chunks, ChunkRun):
        return chunks.columns()
    if any(len(c.digest) != DIGEST_SIZE for c in chunks):
        raise ValueError(f"a digest has {DIGEST_SIZE} bytes")
    return b"".join(c.digest for c in chunks), array("I", (c.size for c in chunks))


def by_first_use(table: Chunks, numbers: Numbers) -> tuple[Chunks, array[int]]:
    """The chunks that are used, each once and in order of first use, and the uses as their new numbers."""
    if not len(table):
        return Chunks(Digests(), array("I")), array("I")
    # Equal digests get one number first: the same content came by several files, and each counted its chunks by
    # itself.
    numbers = table.digests.find_all(table.digests)[numbers]
    used, first = np.unique(numbers, return_index=True)
    order = used[np.argsort(first)]
    rank = np.zeros(len(table), dtype=np.uint32)
    rank[order] = np.arange(len(order), dtype=np.uint32)
    sizes = column("I", view(table.sizes)[order])
    return Chunks(table.digests.take(order), sizes), column("I", rank[numbers])
