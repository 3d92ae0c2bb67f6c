"""A difference as bytes: docs/formats.md describes it. Reading checks every size and index before anything uses it.

difference := 0xD5 | version 1 or 2 | stream * 7
stream := varint raw size | varint stored size | bytes    stored = raw: as it is, else a frame of zstd or, in version 2, LZMA2
the streams: header, copy lengths, literal lengths, seeks, gaps, tokens, literals
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import zstandard

from rampa.core.binaries.segments import Image, LoadedSegment, sound
from rampa.core.content.pack import lzma2
from rampa.core.content.pack.source import Source
from rampa.core.content.tree.inflation import inflate
from rampa.core.errors import Damaged

OLD_MARK, MARK = b"\xd5\x01", b"\xd5\x02"
PRESET = 6
"""Of LZMA2. Beyond it streams of programs shrink by less than half a percent, at twice the time."""
SMALL = 1024
"""Streams below this many bytes are smaller with zstd, whose frames begin with less."""
STREAMS = 7
CONTENT_LIMIT = 64 * 1024 * 1024
"""Bytes of old or new content that one difference may span."""


@dataclass(frozen=True)
class Parts:
    """A difference that was read, or is to be written. `rows`: operations as int64 rows (copy, extra, from).

    `images`: both programs with the offset of each window in its file, or None for data.
    """

    old_size: int
    new_size: int
    rows: bytes
    mask: int
    images: tuple[Image, int, Image, int] | None
    gaps: bytes
    tokens: bytes
    extras: bytes


def encode(parts: Parts, level: int, dense: bool = False) -> bytes:
    """The bytes of a difference, its streams compressed at a zstd level (1 to 19). `dense`: with LZMA2, which not every device
    reads."""
    rows = np.frombuffer(parts.rows, dtype="<i8").reshape(-1, 3)
    # Where each copy ended, one row on: the last end says nothing of a next begin.
    ends = np.concatenate([[0], (rows[:, 2] + rows[:, 0])[:-1]]) if len(rows) else rows[:, 0]
    streams = [
        _header(parts),
        varints(rows[:, 0]),
        varints(rows[:, 1]),
        # Where a copy begins is told by how far it is from the last one's end: mostly 0, or a small step.
        varints(_zigzag(rows[:, 2] - ends)),
        parts.gaps,
        parts.tokens,
        parts.extras,
    ]
    out = bytearray(MARK if dense else OLD_MARK)
    for raw in streams:
        stored = _packed(raw, level, dense)
        out += _varint(len(raw)) + _varint(len(stored)) + stored
    return bytes(out)


def is_dense(difference: bytes | memoryview) -> bool:
    """Whether only readers of version 2 can read it."""
    return bytes(difference[:2]) == MARK


def _packed(raw: bytes, level: int, dense: bool) -> bytes:
    if dense and SMALL <= len(raw) <= lzma2.MOST:
        stored = lzma2.compress(raw, PRESET)
    else:
        stored = zstandard.ZstdCompressor(level=level, write_content_size=False, write_checksum=False).compress(raw)
    # A stream that does not shrink is kept as it is; equal lengths say so.
    return stored if len(stored) < len(raw) else raw


def decode(data: bytes | memoryview, old_size: int, new_size: int) -> Parts:
    """Raises `Damaged` unless it makes `new_size` bytes of exactly `old_size` ones."""
    try:
        return _decode(memoryview(data), old_size, new_size)
    except Damaged:
        raise
    except (zstandard.ZstdError, ValueError, IndexError, OverflowError) as error:
        raise Damaged("difference.damaged", f"a difference cannot be read ({type(error).__name__})") from error


def _decode(data: memoryview, old_size: int, new_size: int) -> Parts:
    if bytes(data[:2]) not in (OLD_MARK, MARK):
        raise _damaged("is not one, or of a version that is not known here")
    if not (0 <= old_size <= CONTENT_LIMIT and 0 < new_size <= CONTENT_LIMIT):
        raise _damaged("spans an impossible size")
    at, streams = 2, []
    # A stream holds at most some bytes for each byte of content; a bound before memory is taken.
    limit = 6 * new_size + 65536
    for _ in range(STREAMS):
        raw, at = _read_varint(data, at)
        stored, at = _read_varint(data, at)
        if raw > limit or stored > raw or at + stored > len(data):
            raise _damaged("has a stream of an impossible size")
        streams.append(_inflate(data[at : at + stored], raw, is_dense(data)))
        at += stored
    if at != len(data):
        raise _damaged("has bytes behind its end")
    images, mask, said = _read_header(streams[0])
    if said != (old_size, new_size):
        raise _damaged("is for content of another size")
    copies, extras, seeks = (read_varints(s) for s in streams[1:4])
    rows = _rows(copies, extras, seeks, old_size, new_size, len(streams[6]))
    return Parts(old_size, new_size, rows, mask, images, streams[4], streams[5], streams[6])


def _rows(
    copies: np.ndarray, extras: np.ndarray, seeks: np.ndarray, old_size: int, new_size: int, literal: int
) -> bytes:
    if not len(copies) == len(extras) == len(seeks):
        raise _damaged("has columns of different length")
    # Before any sum of them: 64 bits of a stranger's numbers would wrap round and pass for small ones.
    if any(len(c) and int(c.max()) > 2 * CONTENT_LIMIT + 1 for c in (copies, extras, seeks)):
        raise _damaged("names an impossible place")
    copy, extra = copies.astype(np.int64), extras.astype(np.int64)
    seek = (seeks >> 1).astype(np.int64) ^ -((seeks & 1).astype(np.int64))
    starts = np.cumsum(seek + np.concatenate([[0], copy[:-1]])) if len(copy) else seek
    inside = (copy == 0) | ((starts >= 0) & (starts + copy <= old_size))
    if not bool(inside.all()) or int(extra.sum()) != literal or int(copy.sum()) + literal != new_size:
        raise _damaged("does not fit its content")
    # No copy has no place: whatever a row without one says, it is not followed.
    starts = np.where(copy == 0, 0, starts)
    return np.stack([copy, extra, starts], axis=1).astype("<i8").tobytes()


def _header(parts: Parts) -> bytes:
    numbers = [parts.old_size, parts.new_size, parts.mask if parts.images else 0]
    if parts.images and parts.mask:
        old, old_start, new, new_start = parts.images
        for image, start in ((old, old_start), (new, new_start)):
            numbers += [start, image.machine, image.low, image.high, image.base, image.frames + 1, len(image.segments)]
            numbers += [n for s in image.segments for n in (s.offset, s.size, s.address, s.kind)]
    return b"".join(_varint(n) for n in numbers)


def _read_header(raw: bytes) -> tuple[tuple[Image, int, Image, int] | None, int, tuple[int, int]]:
    numbers = iter([int(n) for n in read_varints(raw)])
    try:
        said, mask = (next(numbers), next(numbers)), next(numbers)
        images = None
        if mask:
            (old, old_start), (new, new_start) = _read_image(numbers), _read_image(numbers)
            images = (old, old_start, new, new_start)
    except StopIteration:
        raise _damaged("has a header that ends early") from None
    if mask >= 1 << 10 or next(numbers, None) is not None:
        raise _damaged("has a header that is not understood")
    return images, mask, said


def _read_image(numbers: Iterator[int]) -> tuple[Image, int]:
    start, machine, low, high, base, frames, count = [next(numbers) for _ in range(7)]
    # A program file has a few segments, an archive's table at most some dozens.
    if count > 96:
        raise _damaged("describes an impossible program")
    flat = [next(numbers) for _ in range(4 * count)]
    segments = tuple(LoadedSegment(*flat[i : i + 4]) for i in range(0, len(flat), 4))
    image = Image(machine, segments, low, high, base, frames - 1)
    if not sound(image) or start >= 1 << 56:
        raise _damaged("describes an impossible program")
    return image, start


def _inflate(stored: memoryview, raw: int, dense: bool) -> bytes:
    if len(stored) == raw:
        return bytes(stored)
    if dense and lzma2.is_frame(bytes(stored[:4])):
        return _joined(lzma2.pieces(Source.of(stored), raw), raw)
    out = inflate(stored, raw, sized=False)
    if len(out) != raw:
        raise _damaged("has a stream of another size than it says")
    return out


def _joined(pieces: Iterator[bytes], raw: int) -> bytes:
    out = bytearray()
    try:
        for piece in pieces:
            out += piece
            # What a stream says of itself bounds what is unpacked of it.
            if len(out) > raw:
                break
    except Damaged as error:
        raise _damaged("has a stream that cannot be read") from error
    if len(out) != raw:
        raise _damaged("has a stream of another size than it says")
    return bytes(out)


def varints(column: np.ndarray) -> bytes:
    """Unsigned numbers, seven bits a byte, the lowest first; the top bit says that more follow."""
    left = column.astype(np.uint64)
    if not len(left):
        return b""
    width = np.ones(len(left), dtype=np.int64)
    for n in range(1, 10):
        width += left >= np.uint64(1) << np.uint64(7 * n)
    ends = np.cumsum(width)
    out = np.zeros(int(ends[-1]), dtype=np.uint8)
    starts = ends - width
    for n in range(int(width.max())):
        longer = width > n
        byte = (left[longer] >> np.uint64(7 * n)) & np.uint64(0x7F)
        more = (width[longer] > n + 1).astype(np.uint64) << np.uint64(7)
        out[starts[longer] + n] = (byte | more).astype(np.uint8)
    return out.tobytes()


def read_varints(raw: bytes | memoryview) -> np.ndarray:
    """Raises `Damaged` for a number that ends early or has more than nine bytes."""
    data = np.frombuffer(raw, dtype=np.uint8)
    ends = np.flatnonzero(data < 0x80)
    if not len(data):
        return np.zeros(0, dtype=np.uint64)
    if not len(ends) or ends[-1] != len(data) - 1:
        raise _damaged("has a number that ends early")
    starts = np.concatenate([[0], ends[:-1] + 1])
    width = ends - starts + 1
    if int(width.max()) > 9:
        raise _damaged("has a number of too many bytes")
    out = np.zeros(len(ends), dtype=np.uint64)
    for n in range(int(width.max())):
        longer = width > n
        out[longer] |= (data[starts[longer] + n] & 0x7F).astype(np.uint64) << np.uint64(7 * n)
    return out


def _zigzag(column: np.ndarray) -> np.ndarray:
    return (column << 1) ^ (column >> 63)


def _varint(number: int) -> bytes:
    out = bytearray()
    while number >= 0x80:
        out.append(number & 0x7F | 0x80)
        number >>= 7
    out.append(number)
    return bytes(out)


def _read_varint(data: memoryview, at: int) -> tuple[int, int]:
    number = shift = 0
    while True:
        byte = data[at]
        number |= (byte & 0x7F) << shift
        at += 1
        if byte < 0x80:
            return number, at
        shift += 7
        if shift > 56:
            raise _damaged("has a number of too many bytes")


def _damaged(what: str) -> Damaged:
    return Damaged("difference.damaged", f"a difference {what}")
