"""Making files of chunks: every chunk is checked before it is written, every file before it counts as made."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from blake3 import blake3

from rampa.core import parallel
from rampa.core.content.tree.columns import Numbers, column, view
from rampa.core.content.tree.paths import printable
from rampa.core.content.tree.regions import uses_of
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged
from rampa.core.files import begin_writing

READ = os.O_RDONLY | os.O_NOFOLLOW
WRITE = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW
MANY_CHUNKS, MOST_OPEN = 8, 200
"""Files of so many chunks are kept open while they are made, as long as there are not too many of them."""
AT_ONCE = 64
"""Files that one thread makes before it takes others."""
MOST_PARTS = 1024
"""IOV_MAX of Linux, writev(2)."""
LARGE = 512 * 1024
"""Bytes written at once that are sent to the disk meanwhile, not all at the end."""


def file_holds(path: Path, size: int, digest: bytes) -> bool:
    """Whether a regular file has exactly this content. Reads a megabyte at a time."""
    try:
        fd = os.open(path, READ)
    except OSError:
        return False
    with open(fd, "rb", buffering=0) as stream:
        if os.fstat(fd).st_size != size:
            return False
        hasher = blake3()
        while piece := stream.read(1 << 20):
            hasher.update(piece)
        return hasher.digest() == digest


def read_region(path: Path, offset: int, size: int) -> bytes | None:
    """Up to `size` bytes out of a regular file, or None when it is not there."""
    try:
        fd = os.open(path, READ)
    except OSError:
        return None
    try:
        return os.pread(fd, size, offset)
    except OSError:  # a folder has come in its place
        return None
    finally:
        os.close(fd)


def read_chunk(path: Path, offset: int, size: int, digest: bytes) -> bytes | None:
    """A chunk out of a file, or None when the file no longer holds it there."""
    data = read_region(path, offset, size)
    return data if data is not None and blake3(data).digest() == digest else None


def _write_at(fd: int, data: bytes | memoryview, offset: int) -> None:
    at = 0
    while at < len(data):
        at += os.pwrite(fd, memoryview(data)[at:], offset + at)


def _write_parts(fd: int, parts: list[memoryview], offset: int) -> None:
    size = sum(len(p) for p in parts)
    # A short write is no error to the system; what is left is written in plain calls.
    if not 1 < len(parts) <= MOST_PARTS or os.pwritev(fd, parts, offset) != size:
        at = offset
        for part in parts:
            _write_at(fd, part, at)
            at += len(part)
    # Written to the disk while more comes down: at the end nothing large is left to wait for.
    if size >= LARGE:
        begin_writing(fd, offset, size)


class Assembly:
    """The files of a tree being made below `root`. Chunks go by their number in the tree. `put` may be called from several
    threads."""

    def __init__(self, root: Path, tree: Tree) -> None:
        self.root, self.tree = root, tree
        self.written = 0
        self._lock = threading.Lock()
        self._open: dict[int, int] = {}
        self._found: list[int] = []
        file, offset = uses_of(tree)
        numbers = view(tree.files.numbers)
        self._numbers = tree.files.numbers
        self._file, self._offset = column("I", file), column("Q", offset)
        # The uses of each chunk, one behind the other: those of chunk n are order[first[n] : first[n + 1]].
        order = np.argsort(numbers, kind="stable")
        self._order = column("I", order)
        self._first = column("I", np.searchsorted(numbers[order], np.arange(len(tree.chunks) + 1)))
        self._todo = bytearray(b"\1") * len(numbers)
        self._unwritten = np.diff(view(tree.files.ends).astype(np.int64), prepend=0).tolist()
        self._sized = bytearray(len(tree.files))
        self.on_made: Callable[[int], object] = lambda number: None
        """Told of every file that has all its chunks, by the thread that wrote the last of them."""

    def look(self, threads: ThreadPoolExecutor) -> None:
        """Finds what an earlier, interrupted run left. Files are made as their first chunk comes."""
        count = len(self.tree.files)
        batches = (range(at, min(count, at + AT_ONCE)) for at in range(0, count, AT_ONCE))
        for found in parallel.in_order(threads, lambda batch: [i for i in batch if self._is_there(i)], batches):
            self._found += found

    def _is_there(self, number: int) -> bool:
        try:
            fd = os.open(self.root / self.tree.files.paths[number], os.O_RDWR | os.O_NOFOLLOW)
        except FileNotFoundError:
            return False
        try:
            return self._at_length(number, fd) != 0
        finally:
            os.close(fd)

    def _at_length(self, number: int, fd: int) -> int:
        """How long it was. At full length at once: chunks come in any order, and the file system can lay them side by side."""
        there, size = os.fstat(fd).st_size, self.tree.files.sizes[number]
        if there != size:
            os.ftruncate(fd, size)
        self._sized[number] = 1
        return there

    def close(self) -> None:
        for fd in self._open.values():
            os.close(fd)
        self._open.clear()

    def salvage(self) -> int:
        """Takes chunks that an interrupted run already wrote at their places; returns their bytes."""
        kept = 0
        ends = self.tree.files.ends
        for i in self._found:
            path = self.root / self.tree.files.paths[i]
            for use in range(ends[i] - self._count(i), ends[i]):
                chunk = self.tree.chunks[self._numbers[use]]
                if read_chunk(path, self._offset[use], chunk.size, chunk.digest) is not None:
                    kept += chunk.size
                    self._todo[use] = 0
                    self._unwritten[i] -= 1
        return kept

    def wanted(self) -> Numbers:
        """The numbers of the chunks that are still to be put, ascending."""
        with self._lock:
            todo = np.frombuffer(self._todo, np.uint8).astype(bool)
        return np.unique(view(self._numbers)[todo])

    def put(self, number: int, data: bytes | memoryview) -> None:
        """Writes a chunk, whose digest the caller checked, to every place that needs it."""
        self.put_run([(number, memoryview(data))])

    def put_run(self, chunks: list[tuple[int, memoryview]]) -> None:
        """The same for chunks that lie one behind the other in memory: neighbours are written with one call."""
        writes: list[tuple[int, int, list[memoryview]]] = []
        with self._lock:
            for number, data in chunks:
                for use in self._order[self._first[number] : self._first[number + 1]]:
                    # Marked before it is written: two threads with the same chunk write it once. A write that fails
                    # ends the whole run.
                    if self._todo[use]:
                        self._todo[use] = 0
                        self.written += len(data)
                        _join(writes, self._file[use], self._offset[use], data)
        for file, offset, parts in writes:
            self._write(file, offset, parts)
        for file in self._count_written(writes):
            self.on_made(file)

    def _write(self, file: int, offset: int, parts: list[memoryview]) -> None:
        fd = self._open.get(file)
        if fd is not None:
            _write_parts(fd, parts, offset)
            return
        fd = os.open(self.root / self.tree.files.paths[file], WRITE, 0o644)
        keep = False
        try:
            if not self._sized[file]:
                self._at_length(file, fd)
                keep = self._stays_open(file, fd)
            _write_parts(fd, parts, offset)
        finally:
            if not keep:
                os.close(fd)

    def _stays_open(self, file: int, fd: int) -> bool:
        with self._lock:
            stays = self._count(file) >= MANY_CHUNKS and len(self._open) < MOST_OPEN and file not in self._open
            if stays:
                self._open[file] = fd
            return stays

    def _count_written(self, writes: list[tuple[int, int, list[memoryview]]]) -> list[int]:
        """Those that are made."""
        with self._lock:
            for file, _, parts in writes:
                self._unwritten[file] -= len(parts)
            return [file for file in {w[0] for w in writes} if not self._unwritten[file]]

    def finish(self, number: int) -> int:
        """Checks a made file against its digest and sets its mode; returns its size. Raises `Damaged`."""
        file = self.tree.files[number]
        path = self.root / file.path
        if not file.size:
            os.close(os.open(path, WRITE, 0o644))  # no chunk of it ever came
        # One chunk is the whole file, and its digest was checked in memory just before it was written.
        if len(file.chunks) > 1 and not file_holds(path, file.size, file.digest):
            raise Damaged(
                "file.damaged",
                "the file that was put together is not what the manifest promises",
                where=printable(file.path),
                hint="Run the command again; when it stays, the build itself is wrong: withdraw it.",
            )
        path.chmod(0o755 if file.executable else 0o644)
        return file.size

    def _count(self, number: int) -> int:
        """How many chunks a file has."""
        ends = self.tree.files.ends
        return ends[number] - (ends[number - 1] if number else 0)


def _join(writes: list[tuple[int, int, list[memoryview]]], file: int, offset: int, data: memoryview) -> None:
    """Adds a write, to the last one where it goes on there."""
    if writes:
        last, start, parts = writes[-1]
        if last == file and start + sum(len(p) for p in parts) == offset:
            parts.append(data)
            return
    writes.append((file, offset, [data]))
