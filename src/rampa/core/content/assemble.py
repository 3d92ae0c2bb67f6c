"""Making files of chunks: every chunk is checked before it is written, every file before it counts as made."""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Iterable
from pathlib import Path

from blake3 import blake3

from rampa.core.content.paths import printable
from rampa.core.content.tree import FileEntry
from rampa.core.errors import Damaged

READ = os.O_RDONLY | os.O_NOFOLLOW
WRITE = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW
MANY_CHUNKS, MOST_OPEN = 8, 200
"""Files of so many chunks are kept open while they are made, as long as there are not too many of them."""


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
    if len(parts) > 1 and os.pwritev(fd, parts, offset) == size:
        return
    for part in parts:
        _write_at(fd, part, offset)
        offset += len(part)


class Assembly:
    """Files being made below `root`. `put` may be called from several threads."""

    def __init__(self, root: Path, files: Iterable[FileEntry]) -> None:
        self.root = root
        self.files = list(files)
        self._lock = threading.Lock()
        self._slots: dict[bytes, list[tuple[FileEntry, int]]] = defaultdict(list)
        self._open: dict[str, int] = {}
        self._found: list[FileEntry] = []
        self.written = 0
        for file in self.files:
            offset = 0
            for chunk in file.chunks:
                self._slots[chunk.digest].append((file, offset))
                offset += chunk.size

    def prepare(self) -> None:
        """Makes folders and files, keeping what an earlier, interrupted run left. Large files stay open to be written."""
        for folder in {(self.root / f.path).parent for f in self.files}:
            folder.mkdir(parents=True, exist_ok=True)
        for file in self.files:
            fd = os.open(self.root / file.path, WRITE, 0o644)
            keep = False
            try:
                if os.fstat(fd).st_size != 0:
                    self._found.append(file)
                if os.fstat(fd).st_size != file.size:
                    os.ftruncate(fd, file.size)
                keep = len(file.chunks) >= MANY_CHUNKS and len(self._open) < MOST_OPEN
                if keep:
                    self._open[file.path] = fd
            finally:
                if not keep:
                    os.close(fd)

    def close(self) -> None:
        for fd in self._open.values():
            os.close(fd)
        self._open.clear()

    def salvage(self) -> int:
        """Takes chunks that an interrupted run already wrote at their places; returns their bytes."""
        kept = 0
        for file in self._found:
            offset = 0
            for chunk in file.chunks:
                if read_chunk(self.root / file.path, offset, chunk.size, chunk.digest) is not None:
                    kept += chunk.size
                    self._drop(chunk.digest, file, offset)
                offset += chunk.size
        return kept

    def wanted(self) -> set[bytes]:
        """The chunks that are still to be put."""
        return {digest for digest, slots in self._slots.items() if slots}

    def put(self, digest: bytes, data: bytes | memoryview) -> None:
        """Writes a chunk, whose digest the caller checked, to every place that needs it."""
        self.put_run([(digest, memoryview(data))])

    def put_run(self, chunks: list[tuple[bytes, memoryview]]) -> None:
        """The same for chunks that lie one behind the other in memory: neighbours are written with one call."""
        writes: list[tuple[FileEntry, int, list[memoryview]]] = []
        with self._lock:
            for digest, data in chunks:
                for file, offset in self._slots.pop(digest, ()):
                    self.written += len(data)
                    last = writes[-1] if writes else None
                    if last and last[0] is file and last[1] + sum(len(p) for p in last[2]) == offset:
                        last[2].append(data)
                    else:
                        writes.append((file, offset, [data]))
        for file, offset, parts in writes:
            fd = self._open.get(file.path)
            if fd is not None:
                _write_parts(fd, parts, offset)
                continue
            fd = os.open(self.root / file.path, WRITE, 0o644)
            try:
                _write_parts(fd, parts, offset)
            finally:
                os.close(fd)

    def finish(self, file: FileEntry) -> int:
        """Checks a made file against its digest and sets its mode; returns its size. Raises `Damaged`."""
        path = self.root / file.path
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

    def _drop(self, digest: bytes, file: FileEntry, offset: int) -> None:
        self._slots[digest] = [s for s in self._slots[digest] if s != (file, offset)]
