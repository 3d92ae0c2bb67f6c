"""The string pool of Android's binary XML and resource files (platform source: ResourceTypes.h, ResStringPool_header).

Strings are read one by one, and one is added behind all others: no index changes, and no string that was there is written again.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, field

from rampa.core.errors import Damaged

POOL = 0x0001
HEADER = struct.Struct("<HHIIIIII")
UTF8, SORTED = 1 << 8, 1
MAX_STRINGS = 1_000_000


@dataclass
class StringPool:
    """`offsets` are of strings in `strings`, bytes; `style_part` is what follows them, untouched."""

    flags: int
    offsets: list[int]
    strings: bytes
    style_offsets: bytes
    style_part: bytes
    header_rest: bytes = b""
    _known: dict[int, str] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.offsets)

    def text(self, index: int) -> str:
        """Raises `Damaged` for an index or an offset that leads nowhere; -1 (no string) is empty."""
        if index == 0xFFFFFFFF:
            return ""
        found = self._known.get(index)
        if found is None:
            found = self._known[index] = self._read(index)
        return found

    def _read(self, index: int) -> str:
        try:
            at = self.offsets[index]
            if self.flags & UTF8:
                _, at = _length8(self.strings, at)
                size, at = _length8(self.strings, at)
                raw = self.strings[at : at + size]
                # Written as modified UTF-8 by some tools: lone surrogates must not stop us.
                text = raw.decode("utf-8", "replace")
            else:
                units, at = _length16(self.strings, at)
                size = 2 * units
                raw = self.strings[at : at + size]
                text = raw.decode("utf-16-le", "replace")
        except (IndexError, struct.error) as error:
            raise _bad(f"string {index} is not there") from error
        if len(raw) != size:
            raise _bad(f"string {index} reaches beyond the pool")
        return text

    def add(self, text: str) -> int:
        """The index of `text`, which is put behind the others when it is not there yet."""
        for index in range(len(self.offsets)):
            # A string with a style belongs to its style: another use of it would be drawn in that style, too.
            if self.text(index) == text and index * 4 >= len(self.style_offsets):
                return index
        return self.add_new(text)

    def add_new(self, text: str) -> int:
        """Puts `text` behind the others even when it is there already."""
        end = self._end() if self.offsets else 0
        self.offsets.append(end)
        self.strings = self.strings[:end] + (_encode8(text) if self.flags & UTF8 else _encode16(text))
        # The pool is no longer in order; who believed the flag would search it by halves.
        self.flags &= ~SORTED
        self._known[len(self.offsets) - 1] = text
        return len(self.offsets) - 1

    def _end(self) -> int:
        """Behind the last string's terminator, wherever it lies."""
        at = max(self.offsets)
        if self.flags & UTF8:
            _, at = _length8(self.strings, at)
            size, at = _length8(self.strings, at)
            return at + size + 1
        units, at = _length16(self.strings, at)
        return at + 2 * units + 2

    def encode(self) -> bytes:
        strings = self.strings + bytes(-len(self.strings) % 4)
        styles = len(self.style_offsets) // 4
        head = HEADER.size + len(self.header_rest)
        strings_at = head + 4 * len(self.offsets) + len(self.style_offsets)
        styles_at = strings_at + len(strings) if styles else 0
        body = struct.pack(f"<{len(self.offsets)}I", *self.offsets) + self.style_offsets + strings + self.style_part
        size = head + len(body)
        header = HEADER.pack(POOL, head, size, len(self.offsets), styles, self.flags, strings_at, styles_at)
        return header + self.header_rest + body


def decode_pool(data: bytes) -> StringPool:
    """From the bytes of the chunk. Raises `Damaged`."""
    if len(data) < HEADER.size:
        raise _bad("the string pool is cut off")
    _, head, size, count, styles, flags, strings_at, styles_at = HEADER.unpack_from(data)
    if count > MAX_STRINGS or styles > count or size != len(data) or head < HEADER.size:
        raise _bad("the string pool's sizes cannot be")
    end = styles_at if styles else size
    if not head + 4 * (count + styles) <= (strings_at if count else end) <= end <= size:
        raise _bad("the string pool's parts overlap")
    offsets = list(struct.unpack_from(f"<{count}I", data, head))
    style_offsets = data[head + 4 * count : head + 4 * (count + styles)]
    return StringPool(
        flags, offsets, data[strings_at:end] if count else b"", style_offsets, data[end:], data[HEADER.size : head]
    )


def _length8(data: bytes, at: int) -> tuple[int, int]:
    first = data[at]
    if first & 0x80:
        return (first & 0x7F) << 8 | data[at + 1], at + 2
    return first, at + 1


def _length16(data: bytes, at: int) -> tuple[int, int]:
    (first,) = struct.unpack_from("<H", data, at)
    if first & 0x8000:
        (second,) = struct.unpack_from("<H", data, at + 2)
        return (first & 0x7FFF) << 16 | second, at + 4
    return first, at + 2


def _encode8(text: str) -> bytes:
    raw = text.encode()
    return _size8(len(text.encode("utf-16-le")) // 2) + _size8(len(raw)) + raw + b"\0"


def _size8(size: int) -> bytes:
    return bytes([0x80 | size >> 8, size & 0xFF]) if size > 0x7F else bytes([size])


def _encode16(text: str) -> bytes:
    raw = text.encode("utf-16-le")
    units = len(raw) // 2
    size = struct.pack("<HH", 0x8000 | units >> 16, units & 0xFFFF) if units > 0x7FFF else struct.pack("<H", units)
    return size + raw + b"\0\0"


def _bad(message: str) -> Damaged:
    return Damaged("manifest.binary", f"the binary XML is damaged: {message}")
