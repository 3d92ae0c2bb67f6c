"""Which filter suits a file, by its header: WAVE (RIFF), DDS, KTX 2.0, programs (ELF, PE, Mach-O). Whoever is not sure says
none."""

from __future__ import annotations

import itertools
import struct
from dataclasses import dataclass

from rampa.core.binaries import segments
from rampa.core.binaries.mach_o import read_mach_o
from rampa.core.binaries.read_at import of_bytes
from rampa.core.content.pack.filters import ARM64, BLOCKS, CHANNELS, CODE, SOUND, X86_64, Filter, Run

HEADER = segments.HEAD
"""Bytes of a file's start that are looked at."""
PCM, EXTENSIBLE = 1, 0xFFFE
KTX2 = b"\xabKTX 20\xbb\r\n\x1a\n"
# Block bytes by DXGI_FORMAT and VkFormat: BC1 and BC3 with their typeless, linear and sRGB kinds.
DXGI = {70: 8, 71: 8, 72: 8, 76: 16, 77: 16, 78: 16}
VULKAN = {131: 8, 132: 8, 133: 8, 134: 8, 137: 16, 138: 16}
FOUR = {b"DXT1": 8, b"DXT4": 16, b"DXT5": 16}


@dataclass(frozen=True, slots=True)
class Shape:
    """A file's filter, and how many bytes come before its records. `spans`: code, (its first byte, behind its last)."""

    filter: Filter
    start: int
    spans: tuple[tuple[int, int], ...] = ()

    def runs(self, offset: int, size: int) -> list[Run]:
        """Those of `size` bytes at `offset` of the file."""
        if self.filter.kind != CODE:
            return [(size, (self.start - offset) % self.filter.record)]
        runs, at, end, left = [], offset, offset + size, self.filter.record
        for first, last in self.spans:
            first, last = max(first, at), min(last, end)
            if first >= last:
                continue
            if at < first:
                runs.append((first - at, left))
            # Instructions of four bytes lie at whole fours of the file.
            runs.append((last - first, -first % self.filter.record))
            at = last
        return [*runs, (end - at, left)] if at < end else runs


def shape_of(head: bytes) -> Shape | None:
    """`head`: the first `HEADER` bytes, or fewer."""
    try:
        return _sound(head) or _dds(head) or _ktx(head) or _code(head)
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


def _code(head: bytes) -> Shape | None:
    image = segments.read_image(head)
    if image is None:
        return _mach_o(head)
    spans = tuple((s.offset, s.offset + s.size) for s in image.segments if s.kind == segments.CODE)
    return Shape(Filter(CODE, PROCESSORS[image.machine]), 0, spans) if spans else None


def _mach_o(head: bytes) -> Shape | None:
    # For the filter alone: how addresses move between two releases was never tried on these.
    program = read_mach_o(of_bytes(head))
    if program is None or program.machine not in segments.PROCESSORS:
        return None
    spans = sorted((offset, offset + size) for offset, size in program.code())
    apart = all(end <= start for (_, end), (start, _) in itertools.pairwise(spans))
    if not spans or not apart or spans[-1][1] >= segments.HIGHEST:
        return None
    return Shape(Filter(CODE, PROCESSORS[segments.PROCESSORS[program.machine]]), 0, tuple(spans))
