"""Where a program's stretches are loaded: what predicting addresses needs to know, read from the head of the file.

A head that cannot be read is no error: the content is then treated as data.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from rampa.core.binaries.elf import EXECUTABLE_SEGMENT, FRAMES, LOAD, Elf, read_elf
from rampa.core.binaries.pe import EXECUTABLE, Pe, PeSection, read_pe
from rampa.core.binaries.read_at import of_bytes

X86_64, ARM64 = 1, 2
DATA, CODE, RELATIVE = 0, 1, 2
"""What a segment holds: data with 64-bit pointers, code, data with 32-bit addresses relative to the image's base."""
MOST_SEGMENTS = 96
HIGHEST = 1 << 56
HEAD = 8192
"""Bytes of a file that are enough to read its layout."""
PROCESSORS = {"x86_64": X86_64, "arm64": ARM64}


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
    read = of_bytes(head)
    elf, pe = read_elf(read), read_pe(read)
    try:
        return _checked(_of_elf(elf) if elf else _of_pe(pe) if pe else None)
    except (struct.error, IndexError, ValueError):
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


def _of_elf(elf: Elf) -> Image | None:
    if not elf.wide or not elf.little or elf.machine not in PROCESSORS or len(elf.segments) > MOST_SEGMENTS:
        return None
    loads = sorted((s for s in elf.segments if s.kind == LOAD and s.size), key=lambda s: s.offset)
    if not loads:
        return None
    ends = [s.offset for s in loads[1:]]
    # Segments may overlap in the file; each byte gets the kind of the one that begins last before it.
    sizes = [min(s.size, end - s.offset) for s, end in zip(loads, [*ends, HIGHEST], strict=True)]
    segments = tuple(
        LoadedSegment(s.offset, size, s.address, CODE if s.flags & EXECUTABLE_SEGMENT else DATA)
        for s, size in zip(loads, sizes, strict=True)
        if size > 0
    )
    low, high = min(s.address for s in loads), max(s.address + s.memory for s in loads)
    frames = next((s.offset for s in elf.segments if s.kind == FRAMES), -1)
    return Image(PROCESSORS[elf.machine], segments, low, high, low, frames)


def _of_pe(pe: Pe) -> Image | None:
    if pe.machine not in PROCESSORS or not pe.wide or len(pe.sections) > MOST_SEGMENTS:
        return None
    segments = [
        # Padded to the file's alignment: what is behind the section's true size is filler, not addresses.
        LoadedSegment(s.offset, min(s.in_file, s.size) if s.size else s.in_file, pe.base + s.address, _pe_kind(s))
        for s in sorted(pe.sections, key=lambda s: s.offset)
        if s.in_file
    ]
    return Image(PROCESSORS[pe.machine], tuple(segments), pe.base, pe.base + pe.memory, pe.base, -1)


def _pe_kind(section: PeSection) -> int:
    if section.flags & EXECUTABLE:
        return CODE
    return RELATIVE if section.name in (".pdata", ".xdata", ".idata", ".edata") else DATA
