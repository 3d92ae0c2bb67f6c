"""The ways in which a build's content can be packed for its players, and a table of what was measured of them on a sample."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import zstandard

from rampa.core.content.layout.audience import Audience
from rampa.core.content.pack import lzma2
from rampa.core.content.pack.compression import stored_frame
from rampa.core.errors import Invalid

MIB = 1024 * 1024
ZSTD, LZMA2 = "zstd", "lzma2"
CODECS = ((ZSTD, 3), (ZSTD, 12), (ZSTD, 19), (LZMA2, 6))
"""What is measured: (codec, level), as zstd and liblzma count."""
FRAMES = (1, 8, 32)
"""MiB of content in a frame."""
NEAR = 1.002
"""A codec is as good as the best when players wait at most this much longer: the one that is made sooner is taken."""
PROBE, NO_GAIN = 1, 0.99


@dataclass(frozen=True, slots=True)
class Way:
    """`frame`: MiB of content in a frame."""

    codec: str
    level: int
    frame: int

    def __str__(self) -> str:
        return f"{self.codec} {self.level}, frames of {self.frame} MiB"


@dataclass(frozen=True, slots=True)
class Tried:
    """A way, scaled from the sample to all of the content: bytes, seconds on all cores of the machine that measured.
    `waits`: seconds that the audience waits in the mean; `allowed`: within the bounds that were set."""

    way: Way
    size: int
    packing: float
    unpacking: float
    waits: float
    allowed: bool


def compress(data: bytes, way: Way) -> bytes:
    """One frame of it."""
    # Noise would take as long as anything, for nothing: a look at the fastest level costs a hundredth of it.
    if len(zstandard.ZstdCompressor(level=PROBE).compress(data)) > len(data) * NO_GAIN:
        return stored_frame(data)
    if way.codec == LZMA2:
        return lzma2.compress(data, way.level)
    return compress_whole(data, way.level)


def compress_whole(data: bytes, level: int) -> bytes:
    """One frame of zstd, whose window holds all of it."""
    window = max(20, (len(data) - 1).bit_length())
    form = zstandard.ZstdCompressionParameters.from_level(
        level, source_size=len(data), window_log=window, write_checksum=False, write_content_size=True
    )
    return zstandard.ZstdCompressor(compression_params=form).compress(data)


def choose(table: Sequence[Tried]) -> Tried:
    """The way that brings the audience to the title soonest; of codecs that are nearly as good the one that is made soonest.

    Raises `Invalid` where no way is allowed.
    """
    allowed = [t for t in table if t.allowed]
    if not allowed:
        raise Invalid(
            "delivery.no-way",
            "no way of packing is within the bounds",
            hint="Allow more seconds, or frames of 1 MiB and more.",
        )
    least = min(t.waits for t in allowed)
    near = [t for t in allowed if t.waits <= least * NEAR]
    quick = min(t.packing for t in near)
    # Its own best frame, by bytes: a stronger codec gains more by a larger frame than the one that frames are tried with.
    return min((t for t in allowed if t.packing == quick), key=lambda t: (t.size, t.way.frame))


def table_of(
    raw: int,
    codecs: Sequence[tuple[str, int, float, float, float]],
    gains: Sequence[tuple[int, float]],
    audience: Audience,
    most_frame: int,
    seconds: float,
) -> list[Tried]:
    """Every codec with every frame. `codecs`: (codec, level, packed share of the content, seconds a byte to pack, and to unpack);
    `gains`: (MiB of a frame, its size beside that of the frames in which codecs were measured)."""
    out = []
    for codec, level, share, packs, unpacks in codecs:
        for frame, gain in gains:
            size = max(1, int(raw * share * gain))
            packing = packs * raw
            waits = audience.waits(size, unpacks * raw)
            allowed = frame <= most_frame and packing <= seconds
            out.append(Tried(Way(codec, level, frame), size, packing, unpacks * raw, waits, allowed))
    return out
