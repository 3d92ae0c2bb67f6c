"""Which filter suits a file, by its header: WAVE (RIFF), DDS, KTX 2.0, programs (ELF, PE, Mach-O). Whoever is not sure says
none."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from rampa.core.binaries import segments
from rampa.core.binaries.read_at import ReadAt
from rampa.core.content.pack import program_stretches
from rampa.core.content.pack.filters import ARM64, BLOCKS, CHANNELS, CODE, SOUND, X86_64, Filter, Run
from rampa.core.content.pack.program_stretches import Stretch, stretches_of
from rampa.core.content.pack.program_tables import FRAMES, ROWS, mark

HEADER = segments.HEAD
"""Bytes of a file's start that are looked at."""
TABLE_RUN = 512 * 1024
PCM, EXTENSIBLE = 1, 0xFFFE
KTX2 = b"\xabKTX 20\xbb\r\n\x1a\n"
# Block bytes by DXGI_FORMAT and VkFormat: BC1 and BC3 with their typeless, linear and sRGB kinds.
DXGI = {70: 8, 71: 8, 72: 8, 76: 16, 77: 16, 78: 16}
VULKAN = {131: 8, 132: 8, 133: 8, 134: 8, 137: 16, 138: 16}
FOUR = {b"DXT1": 8, b"DXT4": 16, b"DXT5": 16}


@dataclass(frozen=True, slots=True)
class Shape:
    """A file's filter, and how many bytes come before its records; of a program its code and its tables."""

    filter: Filter
    start: int
    stretches: tuple[Stretch, ...] = ()

    def runs(self, offset: int, size: int) -> list[Run]:
        """Those of `size` bytes at `offset` of the file."""
        if self.filter.kind != CODE:
            return [(size, (self.start - offset) % self.filter.record)]
        runs: list[Run] = []
        at, end, left = offset, offset + size, self.filter.record
        for stretch in self.stretches:
            first, last = max(stretch.first, at), min(stretch.last, end)
            if first < last:
                if at < first:
                    runs.append((first - at, left))
                runs += self._runs_in(stretch, first, last)
                at = last
        return [*runs, (end - at, left)] if at < end else runs

    def _runs_in(self, stretch: Stretch, first: int, last: int) -> list[Run]:
        if stretch.what == program_stretches.CODE:
            # Instructions of four bytes lie at whole fours of the file.
            return [(last - first, -first % self.filter.record)]
        if stretch.what == FRAMES:
            # Their rows say how long they are: whoever begins in the middle does not know where one begins.
            whole = first == stretch.first
            return [(last - first, mark(FRAMES) if whole else self.filter.record)]
        row, runs = ROWS[stretch.what].itemsize, []
        # A reader holds a run of a table whole.
        for at in range(first, last, TABLE_RUN):
            runs.append((min(TABLE_RUN, last - at), mark(stretch.what, (stretch.first - at) % row)))
        return runs


def shape_in(read: ReadAt) -> Shape | None:
    """Of a file, by its header and what that names."""
    return shape_of(read(0, HEADER), read)


def shape_of(head: bytes, read: ReadAt | None = None) -> Shape | None:
    """`head`: the first `HEADER` bytes, or fewer; `read` reads all of the file."""
    try:
        return _sound(head) or _dds(head) or _ktx(head) or _program(head, read)
    except struct.error:  # cut short
        return None


def _sound(head: bytes) -> Shape | None:
    if head[:4] != b"RIFF" or head[8:12] != b"WAVE":
        return None
    at, found = 12, None
    while at + 8 <= len(head):
        name, size = head[at : at + 4], struct.unpack_from("<I", head, at + 4)[0]
        if name == b"fmt ":
            tag, channels, _, _, _, bits = struct.unpack_from("<HHIIHH", head, at + 8)
            # The kind proper stands further on: the first two bytes of its identifier are the plain tag.
            if tag == EXTENSIBLE:
                tag = struct.unpack_from("<H", head, at + 32)[0]
            if tag == PCM and bits == 16 and 1 <= channels <= CHANNELS:
                found = Filter(SOUND, channels)
        elif name == b"data":
            return Shape(found, at + 8) if found else None
        # Chunks of a RIFF file are padded to an even length.
        at += 8 + size + size % 2
    return None


def _dds(head: bytes) -> Shape | None:
    if head[:4] != b"DDS ":
        return None
    if head[84:88] == b"DX10":
        size, start = DXGI.get(struct.unpack_from("<I", head, 128)[0]), 148
    else:
        size, start = FOUR.get(head[84:88]), 128
    return Shape(Filter(BLOCKS, size), start) if size else None


def _ktx(head: bytes) -> Shape | None:
    if head[:12] != KTX2:
        return None
    form, levels, packed = (struct.unpack_from("<I", head, at)[0] for at in (12, 40, 44))
    size = VULKAN.get(form)
    # A file that is packed inside already has no blocks to be seen.
    if size is None or packed:
        return None
    # Levels lie smallest first, and the smallest can end in less than a block: only from here on whole records follow.
    starts = [struct.unpack_from("<Q", head, 80 + 24 * level)[0] for level in range(min(32, max(1, levels)))]
    return Shape(Filter(BLOCKS, size), min(starts))


PROCESSORS = {segments.X86_64: X86_64, segments.ARM64: ARM64}


def _program(head: bytes, read: ReadAt | None) -> Shape | None:
    found = stretches_of(head, read)
    return Shape(Filter(CODE, PROCESSORS[found[0]]), 0, found[1]) if found else None
