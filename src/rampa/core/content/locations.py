"""Where chunks lie in packs, and which of them can be made from what a device has: what a device asks for once an update.

Locations are not signed: whatever they point at is checked against the digests of the signed manifest. The encoding is
zstd(CBOR) in columns; docs/formats.md has it. Chunks go by their number in the build's manifests, old files by theirs in
the build that the update starts from: both sides hold those already.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import cbor2
import zstandard

from rampa.core.content.difference.pairing import Region
from rampa.core.content.pack import FRAME_LIMIT
from rampa.core.content.tree import DIGEST_SIZE, Chunk, Tree
from rampa.core.errors import Damaged

FORMAT = "rampa-locations"
VERSION = 2
MAX_RAW = 512 * 1024 * 1024
ID_SIZE = 16
SPAN_LIMIT = 64 * 1024 * 1024


@dataclass(frozen=True, slots=True, order=True)
class FramePlace:
    """A frame in a pack: the pack's digest (its address), offset and stored size, raw size; all in bytes. `key`: the id of the
    key that it is encrypted with, if it is."""

    pack: bytes
    offset: int
    stored: int
    raw: int
    key: bytes = b""


@dataclass(frozen=True, slots=True)
class DifferencePlace:
    """A difference in a pack of differences: it makes the chunks `new`, one behind the other, of the regions `old`, whose
    joined content has the digest `old_digest` (BLAKE3)."""

    pack: bytes
    offset: int
    stored: int
    old_digest: bytes
    old: tuple[Region, ...]
    new: tuple[Chunk, ...]

    def at(self, offset: int) -> DifferencePlace:
        return replace(self, offset=offset)

    def within(self, pack: bytes) -> DifferencePlace:
        return replace(self, pack=pack)

    @property
    def new_size(self) -> int:
        return sum(c.size for c in self.new)


@dataclass(frozen=True)
class Locations:
    """chunk digest -> (its frame, its offset in the frame's content); what can be made of the build `base` (0: nothing)."""

    chunks: Mapping[bytes, tuple[FramePlace, int]]
    differences: tuple[DifferencePlace, ...] = field(default=())
    base: int = 0


def distinct_chunks(tree: Tree) -> list[Chunk]:
    """A build's chunks in order of first use: their numbers in locations."""
    return list({c.digest: c for f in tree.files for c in f.chunks}.values())


def encode(locations: Locations, new: Tree, old: Tree | None = None) -> bytes:
    """Deterministic for the same locations; chunks that `new` does not have are left out.

    `old` is the tree of the build `base`, needed where there are differences.
    """
    number = {c.digest: i for i, c in enumerate(distinct_chunks(new))}
    own = {d: place for d, place in locations.chunks.items() if d in number}
    frames = sorted({frame for frame, _ in own.values()})
    packs = sorted({f.pack for f in frames} | {d.pack for d in locations.differences})
    keys = sorted({f.key for f in frames} | {b""})
    pack_number = {p: i for i, p in enumerate(packs)}
    frame_number = {f: i for i, f in enumerate(frames)}
    rows = sorted((frame_number[f], at, number[digest]) for digest, (f, at) in own.items())
    body = {
        "format": FORMAT,
        "version": VERSION,
        "base": locations.base,
        "packs": b"".join(packs),
        "frames": {
            "pack": [pack_number[f.pack] for f in frames],
            "offset": [f.offset for f in frames],
            "stored": [f.stored for f in frames],
            "raw": [f.raw for f in frames],
            "key": [keys.index(f.key) for f in frames] if keys != [b""] else [],
        },
        "keys": keys,
        "chunks": {
            "frame": _deltas([r[0] for r in rows]),
            "at": [r[1] for r in rows],
            "chunk": _deltas([r[2] for r in rows]),
        },
        "differences": _differences(locations.differences, pack_number, number, old),
    }
    return zstandard.ZstdCompressor(level=15).compress(cbor2.dumps(body, canonical=True))


def _differences(
    rows: tuple[DifferencePlace, ...], packs: dict[bytes, int], number: dict[bytes, int], old: Tree | None
) -> dict[str, Any]:
    files = {f.path: i for i, f in enumerate(old.files)} if old else {}
    regions = [r for d in rows for r in d.old]
    return {
        "pack": [packs[d.pack] for d in rows],
        "offset": [d.offset for d in rows],
        "stored": [d.stored for d in rows],
        "digest": b"".join(d.old_digest for d in rows),
        "regions": [len(d.old) for d in rows],
        "file": [files[r.path] for r in regions],
        "from": [r.offset for r in regions],
        "size": [r.size for r in regions],
        "chunks": [len(d.new) for d in rows],
        "chunk": _deltas([number[c.digest] for d in rows for c in d.new]),
    }


def decode(encoded: bytes, new: Tree, old: Tree | None = None) -> Locations:
    """`old` is the tree that is installed, if any. Raises `Damaged`."""
    try:
        body = cbor2.loads(zstandard.ZstdDecompressor().decompress(encoded, max_output_size=MAX_RAW))
        if body["format"] != FORMAT or body["version"] != VERSION:
            raise Damaged("locations.version", "these locations are of a version that is not known here")
        known = distinct_chunks(new)
        chunks = _read_chunks(body["chunks"], _read_frames(body), known)
        differences = _read_differences(body, known, old) if body["base"] and old else ()
        return Locations(chunks, differences, body["base"])
    except Damaged:
        raise
    except Exception as error:
        # A hostile document can make the readers raise nearly anything; to the caller it is one thing.
        raise Damaged("locations.damaged", f"the locations cannot be read ({type(error).__name__})") from error


def _pack(body: dict[str, Any], number: int) -> bytes:
    digest = bytes(body["packs"][number * DIGEST_SIZE : (number + 1) * DIGEST_SIZE])
    if len(digest) != DIGEST_SIZE or number < 0:
        raise Damaged("locations.damaged", "the locations name a pack that is not listed")
    return digest


def _read_frames(body: dict[str, Any]) -> list[FramePlace]:
    columns, keys = body["frames"], body["keys"]
    numbers = columns["key"] or [0] * len(columns["pack"])
    if not all(isinstance(k, bytes) and len(k) in (0, ID_SIZE) for k in keys):
        raise Damaged("locations.damaged", "the locations name an impossible key")
    frames = []
    for pack, offset, stored, raw, key in zip(
        columns["pack"], columns["offset"], columns["stored"], columns["raw"], numbers, strict=True
    ):
        if offset < 0 or not 0 < stored <= FRAME_LIMIT or not 0 < raw <= FRAME_LIMIT:
            raise Damaged("locations.damaged", "the locations hold an impossible frame")
        frames.append(FramePlace(_pack(body, pack), offset, stored, raw, keys[key]))
    return frames


def _read_chunks(
    column: dict[str, Any], frames: list[FramePlace], known: list[Chunk]
) -> dict[bytes, tuple[FramePlace, int]]:
    out: dict[bytes, tuple[FramePlace, int]] = {}
    rows = zip(_undelta(column["frame"]), column["at"], _undelta(column["chunk"]), strict=True)
    for frame, at, number in rows:
        if not (0 <= number < len(known) and 0 <= frame < len(frames) and 0 <= at <= frames[frame].raw):
            raise Damaged("locations.damaged", "the locations name a chunk that is not there")
        out[known[number].digest] = (frames[frame], at)
    return out


def _read_differences(body: dict[str, Any], known: list[Chunk], old: Tree) -> tuple[DifferencePlace, ...]:
    column = body["differences"]
    regions = iter(list(zip(column["file"], column["from"], column["size"], strict=True)))
    chunks = iter(_undelta(column["chunk"]))
    rows = zip(column["pack"], column["offset"], column["stored"], column["regions"], column["chunks"], strict=True)
    out = []
    for i, (pack, offset, stored, region_count, chunk_count) in enumerate(rows):
        own = tuple(_region(*next(regions), old) for _ in range(region_count))
        numbers = [next(chunks) for _ in range(chunk_count)]
        if any(not 0 <= n < len(known) for n in numbers):
            raise Damaged("locations.damaged", "a difference makes a chunk that is not there")
        place = DifferencePlace(
            _pack(body, pack),
            offset,
            stored,
            bytes(column["digest"][i * DIGEST_SIZE : (i + 1) * DIGEST_SIZE]),
            own,
            tuple(known[n] for n in numbers),
        )
        if sum(r.size for r in own) > SPAN_LIMIT or not 0 < place.new_size <= SPAN_LIMIT or offset < 0:
            raise Damaged("locations.damaged", "a difference spans an impossible size")
        if not 0 < stored <= 2 * SPAN_LIMIT:
            raise Damaged("locations.damaged", "a difference has an impossible size")
        out.append(place)
    return tuple(out)


def _region(file: int, offset: int, size: int, old: Tree) -> Region:
    if not (0 <= file < len(old.files) and offset >= 0 and size > 0 and offset + size <= old.files[file].size):
        raise Damaged("locations.damaged", "a difference starts from a place that is not there")
    return Region(old.files[file].path, offset, size)


def _deltas(numbers: list[int]) -> list[int]:
    return [n - before for n, before in zip(numbers, [0, *numbers], strict=False)]


def _undelta(column: list[int]) -> list[int]:
    at, out = 0, []
    for d in column:
        at += d
        out.append(at)
    return out
