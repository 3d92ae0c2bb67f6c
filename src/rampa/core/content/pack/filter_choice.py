"""Which filter suits a file, by its header: WAVE (RIFF), DDS, KTX 2.0. Whoever is not sure says none."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from rampa.core.content.pack.filters import BLOCKS, CHANNELS, SOUND, Filter, Run

HEADER = 4096
"""Bytes of a file's start that are looked at."""
PCM, EXTENSIBLE = 1, 0xFFFE
KTX2 = b"\xabKTX 20\xbb\r\n\x1a\n"
# Block bytes by DXGI_FORMAT and VkFormat: BC1 and BC3 with their typeless, linear and sRGB kinds.
DXGI = {70: 8, 71: 8, 72: 8, 76: 16, 77: 16, 78: 16}
VULKAN = {131: 8, 132: 8, 133: 8, 134: 8, 137: 16, 138: 16}
FOUR = {b"DXT1": 8, b"DXT4": 16, b"DXT5": 16}


@dataclass(frozen=True, slots=True)
class Shape:
    """A file's filter, and how many bytes come before its records."""

    filter: Filter
    start: int

    def run(self, offset: int, size: int) -> Run:
        """The run of `size` bytes at `offset` of the file."""
        return size, (self.start - offset) % self.filter.record


def shape_of(head: bytes) -> Shape | None:
    """`head`: the first `HEADER` bytes, or fewer."""
    try:
        return _sound(head) or _dds(head) or _ktx(head)
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
