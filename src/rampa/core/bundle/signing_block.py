"""The signing block that lies between a package's last entry and its directory (source.android.com, "APK Signing Block").

block := size (8, without itself) pair* size (8, again) "APK Sig Block 42"
pair  := size (8) id (4) value
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from rampa.core.bundle.sources import ByteSource
from rampa.core.bundle.zip_reader import Archive
from rampa.core.errors import Damaged

MAGIC = b"APK Sig Block 42"
V2, V3, V31, PADDING = 0x7109871A, 0xF05368C0, 0x1B93AD61, 0x42726577
NAMES = {V2: "v2", V3: "v3", V31: "v3.1", PADDING: "padding"}
TAIL = 8 + len(MAGIC)
MAX_BLOCK = 64 * 1024 * 1024


@dataclass(frozen=True)
class Block:
    """`offset` is where it begins, bytes; `pairs` its values by id, in order."""

    offset: int
    pairs: tuple[tuple[int, bytes], ...]

    def value(self, number: int) -> bytes | None:
        return next((value for kind, value in self.pairs if kind == number), None)


def find(archive: Archive) -> Block | None:
    """The block of a package; None where there is none. Raises `Damaged` when there is half of one."""
    source, end = archive.source, archive.start
    tail = source.read_at(end - TAIL, TAIL) if end >= TAIL + 8 else b""
    if tail[8:] != MAGIC:
        return None
    (size,) = struct.unpack("<Q", tail[:8])
    offset = end - size - 8
    if size < TAIL or size > MAX_BLOCK or offset < 0:
        raise _bad("its size cannot be")
    # A block that reaches into an entry would let its bytes be two things at once.
    if not _in_a_gap(archive, offset):
        raise _bad("it lies over an entry")
    return Block(offset, _pairs(source, offset, size))


def _in_a_gap(archive: Archive, offset: int) -> bool:
    return any(at <= offset and at + length == archive.start for at, length in archive.gaps)


def _pairs(source: ByteSource, offset: int, size: int) -> tuple[tuple[int, bytes], ...]:
    data = source.read_at(offset, size + 8)
    if struct.unpack_from("<Q", data)[0] != size:
        raise _bad("its two sizes differ")
    pairs, at, end = [], 8, len(data) - TAIL
    while at < end:
        if at + 12 > end:
            raise _bad("a part of it is cut off")
        length, number = struct.unpack_from("<QI", data, at)
        if length < 4 or at + 8 + length > end:
            raise _bad("a part of it reaches beyond it")
        pairs.append((number, data[at + 12 : at + 8 + length]))
        at += 8 + length
    numbers = [n for n, _ in pairs]
    # Readers would disagree about which of the two counts.
    if len(numbers) != len(set(numbers)):
        raise _bad("it holds the same scheme twice")
    return tuple(pairs)


def encode(pairs: list[tuple[int, bytes]]) -> bytes:
    body = b"".join(struct.pack("<QI", len(value) + 4, number) + value for number, value in pairs)
    size = struct.pack("<Q", len(body) + TAIL)
    return size + body + size + MAGIC


def _bad(message: str) -> Damaged:
    return Damaged("signature.block", f"the signing block is damaged: {message}")
