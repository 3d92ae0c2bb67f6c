"""Where chunks lie in packs: what a device asks the service for once a build, and the only thing it needs besides packs.

Locations are not signed: whatever they point at is checked against the digests of the signed manifest. The encoding is
zstd(CBOR) in columns; docs/formats.md has it. `differences` is the place of the differences between versions of a chunk
(a chunk that can also be made from what the device has); this version writes it empty and reads past it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cbor2
import zstandard

from rampa.core.content.pack import FRAME_LIMIT
from rampa.core.content.tree import DIGEST_SIZE
from rampa.core.errors import Damaged

FORMAT = "rampa-locations"
VERSION = 1
MAX_RAW = 512 * 1024 * 1024


@dataclass(frozen=True, slots=True, order=True)
class FramePlace:
    """A frame in a pack: the pack's digest (its address), offset and stored size, raw size; all in bytes."""

    pack: bytes
    offset: int
    stored: int
    raw: int


@dataclass(frozen=True)
class Locations:
    """chunk digest -> (its frame, its offset in the frame's content)."""

    chunks: dict[bytes, tuple[FramePlace, int]]


def encode(locations: Locations) -> bytes:
    """Deterministic for the same locations."""
    frames = sorted({frame for frame, _ in locations.chunks.values()})
    packs = sorted({f.pack for f in frames})
    pack_number = {p: i for i, p in enumerate(packs)}
    frame_number = {f: i for i, f in enumerate(frames)}
    rows = sorted((frame_number[f], at, digest) for digest, (f, at) in locations.chunks.items())
    body = {
        "format": FORMAT,
        "version": VERSION,
        "packs": b"".join(packs),
        "frames": {
            "pack": [pack_number[f.pack] for f in frames],
            "offset": [f.offset for f in frames],
            "stored": [f.stored for f in frames],
            "raw": [f.raw for f in frames],
        },
        "chunks": {
            "frame": [r[0] for r in rows],
            "at": [r[1] for r in rows],
            "digest": b"".join(r[2] for r in rows),
        },
        "differences": [],
    }
    return zstandard.ZstdCompressor(level=9).compress(cbor2.dumps(body, canonical=True))


def decode(encoded: bytes) -> Locations:
    """Raises `Damaged`."""
    try:
        body = cbor2.loads(zstandard.ZstdDecompressor().decompress(encoded, max_output_size=MAX_RAW))
        if body["format"] != FORMAT or body["version"] != VERSION:
            raise Damaged("locations.version", "these locations are of a version that is not known here")
        return Locations(_chunks(body["chunks"], _frames(body)))
    except Damaged:
        raise
    except Exception as error:
        # A hostile document can make the readers raise nearly anything; to the caller it is one thing.
        raise Damaged("locations.damaged", f"the locations cannot be read ({type(error).__name__})") from error


def _frames(body: dict[str, Any]) -> list[FramePlace]:
    packs, columns = body["packs"], body["frames"]
    frames = []
    for pack, offset, stored, raw in zip(
        columns["pack"], columns["offset"], columns["stored"], columns["raw"], strict=True
    ):
        digest = bytes(packs[pack * DIGEST_SIZE : (pack + 1) * DIGEST_SIZE])
        if len(digest) != DIGEST_SIZE or offset < 0 or not 0 < stored <= FRAME_LIMIT or not 0 < raw <= FRAME_LIMIT:
            raise Damaged("locations.damaged", "the locations hold an impossible frame")
        frames.append(FramePlace(digest, offset, stored, raw))
    return frames


def _chunks(column: dict[str, Any], frames: list[FramePlace]) -> dict[bytes, tuple[FramePlace, int]]:
    digests = column["digest"]
    rows = list(zip(column["frame"], column["at"], strict=True))
    if len(digests) != DIGEST_SIZE * len(rows):
        raise Damaged("locations.damaged", "the columns of the locations differ in length")
    return {
        bytes(digests[i * DIGEST_SIZE : (i + 1) * DIGEST_SIZE]): (frames[number], at)
        for i, (number, at) in enumerate(rows)
        if number >= 0 and 0 <= at <= frames[number].raw
    }
