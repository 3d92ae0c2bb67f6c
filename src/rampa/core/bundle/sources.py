"""Random access to a bundle's bytes, wherever they lie: a file, memory, a part of another source."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from typing import Protocol

from rampa.core.errors import NotFound

PIECE = 1024 * 1024


class ByteSource(Protocol):
    """`size` in bytes; `read_at` answers fewer bytes only at the end."""

    size: int

    def read_at(self, offset: int, length: int) -> bytes: ...


class BytesSource:
    def __init__(self, data: bytes) -> None:
        self._data, self.size = data, len(data)

    def read_at(self, offset: int, length: int) -> bytes:
        return self._data[offset : offset + length] if length > 0 else b""


class FileBytes:
    """A file, read with positioned reads: several threads can share it. Close it, or use it in a `with`."""

    def __init__(self, path: Path) -> None:
        try:
            self._fd = os.open(path, os.O_RDONLY | getattr(os, "O_BINARY", 0))
            self.size = os.fstat(self._fd).st_size
        except OSError as error:
            raise NotFound("file.missing", f"the file cannot be read ({error.strerror})", where=str(path)) from error
        self.path = path

    def read_at(self, offset: int, length: int) -> bytes:
        if length <= 0:
            return b""
        data = os.pread(self._fd, length, offset)
        while len(data) < length:
            more = os.pread(self._fd, length - len(data), offset + len(data))
            if not more:
                break
            data += more
        return data

    def close(self) -> None:
        os.close(self._fd)

    def __enter__(self) -> FileBytes:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()


def pieces(source: ByteSource, start: int, end: int, size: int = PIECE) -> Iterator[tuple[int, int]]:
    """(offset, length) of the pieces of a region."""
    for at in range(start, end, size):
        yield at, min(size, end - at)


def read_through(source: ByteSource, start: int, end: int) -> Iterator[bytes]:
    for at, length in pieces(source, start, end):
        yield source.read_at(at, length)
