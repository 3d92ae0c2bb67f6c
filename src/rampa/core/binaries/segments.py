"""Where a program's stretches are loaded: what predicting addresses needs to know. ELF (System V gABI, chapter 5) and PE
(Microsoft PE/COFF, sections 2 to 5), little-endian, read from the head of the file.

A head that cannot be read is no error: the content is then treated as data.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

X86_64, ARM64 = 1, 2
DATA, CODE, RELATIVE = 0, 1, 2
"""What a segment holds: data with 64-bit pointers, code, data with 32-bit addresses relative to the image's base."""
MOST_SEGMENTS = 96
HIGHEST = 1 << 56
HEAD = 8192
"""Bytes of a file that are enough to read its layout."""
_ELF_MACHINES = {62: X86_64, 183: ARM64}
_PE_MACHINES = {0x8664: X86_64, 0xAA64: ARM64}


@dataclass(frozen=True)
class LoadedSegment:
    """`offset`, `size` in bytes of the file; `address` in the image."""

    offset: int
    size: int
    address: int
    kind: int


@dataclass(frozen=True)
class Image:
    """A program's layout. `low` and `high` bound its addresses, `base` is where relative ones count from; `frames` is the
    file offset of the frame header, -1 without one."""

    machine: int
    segments: tuple[LoadedSegment, ...]
    low: int
    high: int
    base: int
    frames: int

    def window(self, start: int, size: int) -> tuple[bytes, int, int, int, int, int]:
        """As the kernel wants it, for the part [start, start + size) of the file."""
        rows = []
        for s in self.segments:
            a, b = max(s.offset, start), min(s.offset + s.size, start + size)
            if a < b:
                rows.append((a - start, b - a, s.address + a - s.offset, s.kind))
        flat = [n for row in sorted(rows) for n in row]
        frames = self.frames - start if start <= self.frames < start + size else -1
        return struct.pack(f"<{len(flat)}q", *flat), self.low, self.high, self.base, self.machine, frames


def read_image(head: bytes | memoryview) -> Image | None:
    """The layout that the first `HEAD` bytes of a file give, or None: not a program, or not of a kind that is known."""
    try:
        if bytes(head[:4]) == b"\x7fELF":
            return _checked(_elf(bytes(head)))
        if bytes(head[:2]) == b"MZ":
            return _checked(_pe(bytes(head)))
    except (struct.error, IndexError, ValueError):
        pass
    return None


def _checked(image: Image | None) -> Image | None:
    """None for what no loader would take: the kernel counts with these numbers."""
    return image if image and sound(image) else None


def sound(image: Image) -> bool:
    if not 0 < len(image.segments) <= MOST_SEGMENTS or image.machine not in (X86_64, ARM64):
        return False
    if not 0 <= image.low < image.high < HIGHEST or not 0 <= image.base < HIGHEST or not -1 <= image.frames < HIGHEST:
        return False
    end = 0
    for s in image.segments:
        if s.offset < end or not 0 < s.size < HIGHEST or not 0 <= s.address < HIGHEST or s.kind not in (0, 1, 2):
            return False
        end = s.offset + s.size
    return end < HIGHEST


def _elf(head: bytes) -> Image | None:
    if head[4:6] != b"\x02\x01":
        return None
    (machine,) = struct.unpack_from("<H", head, 18)
    (table,) = struct.unpack_from("<Q", head, 32)
    size, count = struct.unpack_from("<HH", head, 54)
    if machine not in _ELF_MACHINES or size != 56 or count > MOST_SEGMENTS:
        return None
    segments, low, high, frames = [], HIGHEST, 0, -1
    for i in range(count):
        kind, flags, offset, address, _, in_file, in_memory, _ = struct.unpack_from("<IIQQQQQQ", head, table + i * size)
        if kind == 1 and in_file:
            segments.append(LoadedSegment(offset, in_file, address, CODE if flags & 1 else DATA))
            low, high = min(low, address), max(high, address + in_memory)
        elif kind == 0x6474E550:
            frames = offset
    segments.sort(key=lambda s: s.offset)
    trimmed = [
        LoadedSegment(s.offset, min(s.size, following.offset - s.offset) if following else s.size, s.address, s.kind)
        for s, following in zip(segments, [*segments[1:], None], strict=True)
    ]
    return Image(_ELF_MACHINES[machine], tuple(s for s in trimmed if s.size > 0), low, high, low, frames)


def _pe(head: bytes) -> Image | None:
    (at,) = struct.unpack_from("<I", head, 60)
    if head[at : at + 4] != b"PE\0\0":
        return None
    machine, sections = struct.unpack_from("<HH", head, at + 4)
    (optional,) = struct.unpack_from("<H", head, at + 20)
    (magic,) = struct.unpack_from("<H", head, at + 24)
    if machine not in _PE_MACHINES or magic != 0x20B or sections > MOST_SEGMENTS:
        return None
    (base,) = struct.unpack_from("<Q", head, at + 24 + 24)
    (in_memory,) = struct.unpack_from("<I", head, at + 24 + 56)
    segments = []
    for i in range(sections):
        row = at + 24 + optional + i * 40
        size, address, in_file, offset = struct.unpack_from("<IIII", head, row + 8)
        (flags,) = struct.unpack_from("<I", head, row + 36)
        relative = head[row : row + 8].rstrip(b"\0") in (b".pdata", b".xdata", b".idata", b".edata")
        kind = CODE if flags & 0x20000000 else RELATIVE if relative else DATA
        if in_file:
            segments.append(LoadedSegment(offset, min(in_file, size) if size else in_file, base + address, kind))
    segments.sort(key=lambda s: s.offset)
    return Image(_PE_MACHINES[machine], tuple(segments), base, base + in_memory, base, -1)
