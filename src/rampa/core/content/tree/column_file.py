"""A file of columns for this machine alone: a head in JSON, then raw columns, all in one zstd stream. Nothing is held twice."""

from __future__ import annotations

import json
import struct
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import zstandard

from rampa.core.files import replacing

MOST = 1 << 31
"""Bytes of a column that are believed."""


def write_columns(path: Path, head: dict[str, Any], columns: Sequence[Any]) -> None:
    """Written beside and renamed. `columns` are bytes-like."""
    told = json.dumps(head).encode()
    with (
        replacing(path, settle=False) as out,
        # The fastest level: this is read again within minutes, and made anew if it is lost.
        zstandard.ZstdCompressor(level=1).stream_writer(out, closefd=False) as packed,
    ):
        for part in (told, *columns):
            view = memoryview(part).cast("B")
            packed.write(struct.pack("<Q", len(view)))
            packed.write(view)


def read_columns(path: Path, count: int) -> tuple[dict[str, Any], list[bytes]]:
    """The head and so many columns. Raises whatever a damaged file makes the readers raise."""
    with path.open("rb") as stream, zstandard.ZstdDecompressor().stream_reader(stream) as packed:
        told = json.loads(_column(packed))
        return told, [_column(packed) for _ in range(count)]


def _column(packed: Any) -> bytes:
    (size,) = struct.unpack("<Q", _exactly(packed, 8))
    # What it says of its length is believed only so far: a damaged file must not take all memory.
    if size > MOST:
        raise ValueError("a column is too long")
    return _exactly(packed, size)


def _exactly(stream: Any, size: int) -> bytes:
    parts, left = [], size
    while left:
        piece = stream.read(min(left, 1 << 20))
        if not piece:
            raise EOFError
        parts.append(piece)
        left -= len(piece)
    return b"".join(parts)
