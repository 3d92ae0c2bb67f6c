"""The structures of a ZIP file (APPNOTE 6.3.10), packed and unpacked. No rules: those are the reader's and the writer's."""

from __future__ import annotations

import struct
from dataclasses import dataclass

LOCAL, CENTRAL, END, END64, LOCATOR64, DESCRIPTOR = (
    0x04034B50, 0x02014B50, 0x06054B50, 0x06064B50, 0x07064B50, 0x08074B50,
)  # fmt: skip
LOCAL_HEADER = struct.Struct("<IHHHHHIIIHH")
CENTRAL_HEADER = struct.Struct("<IHHHHHHIIIHHHHHII")
END_RECORD = struct.Struct("<IHHHHIIH")
END64_RECORD = struct.Struct("<IQHHIIQQQQ")
LOCATOR64_RECORD = struct.Struct("<IIQI")
STORE, DEFLATE = 0, 8
ENCRYPTED, DESCRIBED, UTF8 = 0x0001, 0x0008, 0x0800
LIMIT32, LIMIT16 = 0xFFFFFFFF, 0xFFFF
EXTRA64 = 1
PADDING = 0x4C52
"""Our extra field of zeros that moves an entry's data to its alignment; readers skip fields that they do not know (4.5.2)."""
DOS_TIME, DOS_DATE = 0, (1 << 5) | 1
"""Midnight of 1 January 1980: the earliest that the format knows."""


@dataclass(slots=True)
class Entry:
    """One entry. Sizes and offsets in bytes: `header` of its local header, `data` of its stored content, `end` behind it."""

    name: str
    raw: bytes
    method: int
    flags: int
    crc: int
    stored: int
    size: int
    header: int
    mode: int = 0
    data: int = 0
    end: int = 0

    @property
    def is_folder(self) -> bool:
        return self.name.endswith("/")

    @property
    def is_link(self) -> bool:
        return self.mode & 0o170000 == 0o120000

    @property
    def executable(self) -> bool:
        return bool(self.mode & 0o111) and not self.is_link


def wide(entry: Entry) -> bool:
    """Whether its sizes need ZIP64."""
    return entry.size >= LIMIT32 or entry.stored >= LIMIT32


def local_header(entry: Entry, padding: int = 0, is_wide: bool | None = None) -> bytes:
    """Section 4.3.7. `padding` is the length of the padding field as a whole: 0, or 4 and above."""
    big = wide(entry) if is_wide is None else is_wide
    extra = struct.pack("<HHQQ", EXTRA64, 16, entry.size, entry.stored) if big else b""
    if padding:
        extra += struct.pack("<HH", PADDING, padding - 4) + bytes(padding - 4)
    stored, size = (LIMIT32, LIMIT32) if big else (entry.stored, entry.size)
    head = LOCAL_HEADER.pack(
        LOCAL, 45 if big else 20, entry.flags, entry.method, DOS_TIME, DOS_DATE, entry.crc, stored, size,
        len(entry.raw), len(extra),
    )  # fmt: skip
    return head + entry.raw + extra


def central_header(entry: Entry) -> bytes:
    """Section 4.3.12; only what does not fit goes into the ZIP64 field, in its order (4.5.3)."""
    fields = [v for v in (entry.size, entry.stored, entry.header) if v >= LIMIT32]
    extra = struct.pack(f"<HH{len(fields)}Q", EXTRA64, 8 * len(fields), *fields) if fields else b""
    needed = 45 if fields else 20
    head = CENTRAL_HEADER.pack(
        CENTRAL, (3 << 8) | needed, needed, entry.flags, entry.method, DOS_TIME, DOS_DATE, entry.crc,
        min(entry.stored, LIMIT32), min(entry.size, LIMIT32), len(entry.raw), len(extra), 0, 0, 0,
        (entry.mode & 0xFFFF) << 16, min(entry.header, LIMIT32),
    )  # fmt: skip
    return head + entry.raw + extra


def end_records(count: int, start: int, size: int) -> bytes:
    """Sections 4.3.14 to 4.3.16 for a directory of `count` entries and `size` bytes at `start`."""
    records = b""
    if count >= LIMIT16 or start >= LIMIT32 or size >= LIMIT32:
        records = END64_RECORD.pack(END64, 44, 45, 45, 0, 0, count, count, size, start)
        records += LOCATOR64_RECORD.pack(LOCATOR64, 0, start + size, 1)
    short = min(count, LIMIT16)
    return records + END_RECORD.pack(END, 0, 0, short, short, min(size, LIMIT32), min(start, LIMIT32), 0)


def extra_fields(data: bytes) -> dict[int, bytes]:
    """The extra fields by their ids. What is left over and too short for a field is padding, as some tools write it."""
    found: dict[int, bytes] = {}
    at = 0
    while at + 4 <= len(data):
        kind, length = struct.unpack_from("<HH", data, at)
        if at + 4 + length > len(data):
            break
        found.setdefault(kind, data[at + 4 : at + 4 + length])
        at += 4 + length
    return found


def widened(extra: bytes, values: list[tuple[int, int]]) -> list[int]:
    """Values with those at their limit replaced from the ZIP64 field (4.5.3). `values` are (value, limit).

    Raises `ValueError` when the field lacks one.
    """
    if all(value != limit for value, limit in values):
        return [value for value, _ in values]
    body = extra_fields(extra).get(EXTRA64)
    if body is None:
        raise ValueError("its sizes are in a ZIP64 field that is not there")
    out, at = [], 0
    for value, limit in values:
        if value == limit:
            if at + 8 > len(body):
                raise ValueError("its ZIP64 field is too short")
            value = struct.unpack_from("<Q", body, at)[0]
            at += 8
        out.append(value)
    return out
