"""Frames of LZMA2: the .xz file format, version 1.2.1, section 5.3.1, by liblzma.

    stored := u32 0x184D2A5B | u32 length | u8 dictionary | LZMA2 chunks       a zstd skippable frame (RFC 8878, 3.1.2)

The dictionary's size is told as there: 2 or 3 times a power of two. It is smaller than zstd at its best and unpacks a fifth as
fast, so it is for those whose connection is what they wait for.
"""

from __future__ import annotations

import lzma
import struct
from collections.abc import Iterator

from rampa.core.content.pack.source import Source
from rampa.core.errors import Damaged

SKIPPABLE = 0x184D2A5B
HEAD = struct.Struct("<IIB")
MOST = 64 * 1024 * 1024
"""What a reader takes as a dictionary: its memory is a stranger's word."""
GIVEN = 256 * 1024
"""Packed bytes that the library is handed at a time."""


def compress(data: bytes | memoryview, preset: int) -> bytes:
    """One frame; `preset` as liblzma counts, 0 to 9. Takes about ten times the memory of the content."""
    code = _code_of(len(data))
    # Other bits of context and position than the usual were tried on programs and on data: within half a percent.
    chain = {"id": lzma.FILTER_LZMA2, "preset": preset, "dict_size": _size_of(code)}
    packed = lzma.compress(data, lzma.FORMAT_RAW, filters=[chain])
    return HEAD.pack(SKIPPABLE, len(packed) + 1, code) + packed


def is_frame(head: bytes) -> bool:
    """By its first bytes."""
    return len(head) >= 4 and struct.unpack_from("<I", head)[0] == SKIPPABLE


def pieces(stored: Source, most: int) -> Iterator[bytes]:
    """The content, at most `most` bytes at a time. Raises `Damaged`."""
    head = stored.read(HEAD.size)
    if len(head) < HEAD.size:
        raise Damaged("pack.damaged", "a frame of LZMA2 is cut short")
    _, length, code = HEAD.unpack_from(head)
    if length != stored.left + 1 or code > 40 or _size_of(code) > MOST:
        raise Damaged("pack.damaged", "a frame of LZMA2 does not look like one")
    opened = lzma.LZMADecompressor(lzma.FORMAT_RAW, filters=[{"id": lzma.FILTER_LZMA2, "dict_size": _size_of(code)}])
    try:
        while not opened.eof:
            # Handed over bit by bit: what the library does not take at once it keeps a copy of.
            given = stored.read(GIVEN) if opened.needs_input else b""
            piece = opened.decompress(given, most)
            if piece:
                yield piece
            elif opened.needs_input and not stored.left and not opened.eof:
                raise Damaged("pack.damaged", "a frame of LZMA2 is cut short")
    except lzma.LZMAError as error:
        raise Damaged("pack.damaged", "a frame of LZMA2 cannot be decompressed") from error
    if opened.unused_data or stored.left:
        raise Damaged("pack.damaged", "a frame of LZMA2 goes on behind its end")


def _size_of(code: int) -> int:
    return (2 | code & 1) << (code // 2 + 11)


def _code_of(size: int) -> int:
    """The smallest dictionary that holds it all."""
    return next((code for code in range(40) if _size_of(code) >= size), 40)
