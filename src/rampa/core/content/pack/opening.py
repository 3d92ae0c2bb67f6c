"""Opening a frame as a stream: a device with little memory holds a piece of it at a time, whatever the frame's size.

Whatever the frame is packed with, zstd (RFC 8878) or LZMA2 (lzma2.py), filtered or not (filters.py).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import IO, cast

import zstandard

from rampa.core.content.pack import filters, lzma2
from rampa.core.content.pack.source import Source
from rampa.core.content.tree.inflation import inflate
from rampa.core.errors import Damaged

FRAME_LIMIT = 48 * 1024 * 1024
"""Raw bytes of a frame: 32 MiB, and a chunk more."""
PIECE = 1024 * 1024
WHOLE = 2 * PIECE
"""Frames up to this size come as one piece: one call for them all."""
HEADER = 18
"""The most bytes of a zstd frame's header (RFC 8878, section 3.1.1.1)."""


def open_pieces(stored: bytes | memoryview | Source, raw: int) -> Iterator[bytes]:
    """The `raw` bytes of a frame in pieces of about `PIECE`; `stored` may still be arriving. Raises `Damaged`, at the latest with
    what would be too much."""
    # Before the library takes memory: an index is a stranger's word.
    if not 0 < raw <= FRAME_LIMIT:
        raise Damaged("pack.damaged", f"a frame claims {raw} bytes, which is absurd")
    source = stored if isinstance(stored, Source) else Source.of(stored)
    filtered = filters.unwrap(source, raw)
    unpacked = _measured(_unpacked(source, raw), raw)
    return unpacked if filtered is None else _measured(filters.undo_pieces(unpacked, *filtered), raw)


def spans_of(pieces: Iterable[bytes], spans: Iterable[tuple[int, int]]) -> Iterator[memoryview]:
    """Stretches (offset, size), in ascending order, out of a content that comes in pieces. All of it is read, to its end.

    Raises `Damaged` for one that begins before another's end, or is not there.
    """
    rest, start, held = iter(pieces), 0, memoryview(b"")
    for offset, size in spans:
        if offset < start:
            raise Damaged("pack.damaged", "chunks of a frame overlap")
        while offset + size > start + len(held):
            piece = next(rest, None)
            if piece is None:
                raise Damaged("pack.damaged", "a frame is shorter than its chunks")
            kept = held[max(0, offset - start) :]
            start += len(held) - len(kept)
            held = memoryview(b"".join((kept, piece))) if len(kept) else memoryview(piece)
        held, start = held[offset - start :], offset
        yield held[:size]
        held, start = held[size:], start + size
    for _ in rest:
        pass


def _unpacked(stored: Source, raw: int) -> Iterator[bytes]:
    if lzma2.is_frame(stored.peek(4)):
        return lzma2.pieces(stored, PIECE)
    return _zstd(stored, raw)


def _zstd(stored: Source, raw: int) -> Iterator[bytes]:
    try:
        if raw <= WHOLE:
            yield inflate(stored.read(), raw)
            return
        if zstandard.frame_content_size(stored.peek(HEADER)) != raw:
            raise Damaged("pack.damaged", "a frame's size is not what the index says")
        with zstandard.ZstdDecompressor(max_window_size=FRAME_LIMIT).stream_reader(
            cast(IO[bytes], stored), closefd=False
        ) as opened:
            while piece := opened.read(PIECE):
                yield piece
    except zstandard.ZstdError as error:
        raise Damaged("pack.damaged", "a frame cannot be decompressed") from error


def _measured(pieces: Iterator[bytes], raw: int) -> Iterator[bytes]:
    """As they come; more or less than was said is no content."""
    size = 0
    for piece in pieces:
        size += len(piece)
        if size > raw:
            break
        yield piece
    if size != raw:
        raise Damaged("pack.damaged", "a frame's size is not what the index says")
