"""Where chunks lie in packs, and which of them can be made from what a device has: what a device asks for once an update.

Locations are not signed: whatever they point at is checked against the digests of the signed manifest. The encoding is
zstd(CBOR) in columns; docs/formats.md has it. Chunks go by their number in the build's manifests, old files by theirs in
the build that the update starts from: both sides hold those already.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import cbor2
import numpy as np
import zstandard

from rampa.core.content.pack.opening import FRAME_LIMIT
from rampa.core.content.pack.places import ChunkPlaces, FramePlace, joined_places
from rampa.core.content.patch import difference_columns
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.tree.cbor_reader import Document, ItemKind, read, within
from rampa.core.content.tree.columns import DIGEST_SIZE, Digests, Numbers, column, view
from rampa.core.content.tree.inflation import inflate_document
from rampa.core.content.tree.tree import Chunks, Tree
from rampa.core.errors import Damaged

FORMAT = "rampa-locations"
OLDEST, TWO_PLACES, VERSION = 2, 3, 4
"""Version 2 knows one place for a chunk, and no price; version 3 no differences that are dense or start from another's."""
VERSION_KEY = b"\x67version"
_CHUNKS: Document = dict.fromkeys(("frame", "at", "chunk"), ItemKind.NUMBERS)
_OLDEST: Document = {
    "format": ItemKind.TEXT,
    "version": ItemKind.NUMBER,
    "base": ItemKind.NUMBER,
    "packs": ItemKind.BYTES,
    "frames": dict.fromkeys(("pack", "offset", "stored", "raw", "key"), ItemKind.NUMBERS),
    "keys": ItemKind.BLOBS,
    "chunks": _CHUNKS,
    "differences": difference_columns.OLD_COLUMNS,
}
_TWO_PLACES: Document = {**_OLDEST, "delivery": _CHUNKS, "price": ItemKind.NUMBER}
DOCUMENT: Document = {**_TWO_PLACES, "differences": difference_columns.COLUMNS}
DOCUMENTS = {OLDEST: _OLDEST, TWO_PLACES: _TWO_PLACES, VERSION: DOCUMENT}
MAX_RAW = 512 * 1024 * 1024
ID_SIZE = 16
NOTHING: dict[str, Numbers] = dict.fromkeys(("frame", "at", "chunk"), np.zeros(0, np.int64))
PRICE_LIMIT = 1 << 30
CHAINED = 16
"""Pieces that differences start from, at most, for each chunk of the build: every step of a chain has some."""


NO_PLACES = ChunkPlaces.of({})


@dataclass(frozen=True)
class Locations:
    """Where chunks lie: in small frames, as they were sent (`chunks`), and in those made for players (`delivery`); what can be
    made of the build `base` (0: nothing). `price`: the bytes that a request counts as."""

    chunks: ChunkPlaces
    differences: tuple[DifferencePlace, ...] = field(default=())
    base: int = 0
    delivery: ChunkPlaces = field(default_factory=lambda: NO_PLACES)
    price: int = 0

    def hold(self, wanted: Digests, differences: bool = True) -> Numbers:
        """For each of these chunks, whether it lies in a frame here, or can be made (bool)."""
        found = (self.chunks.digests.find_all(wanted) >= 0) | (self.delivery.digests.find_all(wanted) >= 0)
        if differences and self.differences:
            made = Digests.of(c.digest for d in self.differences for c in d.new)
            found |= made.find_all(wanted) >= 0
        return found

    @property
    def version(self) -> int:
        """The oldest version that says it all."""
        if not all(d.plain for d in self.differences):
            return VERSION
        return TWO_PLACES if len(self.delivery) or self.price else OLDEST

    def readable(self, version: int) -> Locations:
        """As this version can say it: without differences of a kind that it does not know, and with one place for each chunk, the
        small one where there is one."""
        if version >= self.version:
            return self
        plain = replace(self, differences=tuple(d for d in self.differences if d.plain))
        if version >= TWO_PLACES:
            return plain
        lacking = np.flatnonzero(self.chunks.digests.find_all(self.delivery.digests) < 0)
        rest = self.delivery.only(self.delivery.digests.take(lacking))
        return replace(plain, chunks=joined_places([self.chunks, rest]), delivery=NO_PLACES, price=0)


def encode(locations: Locations, new: Tree, old: Tree | None = None) -> bytes:
    """Deterministic for the same locations; chunks that `new` does not have are left out. Of the oldest version that says it all.

    `old` is the tree of the build `base`, needed where there are differences.
    """
    version = locations.version
    layers = [_Layer.of(places, new) for places in (locations.chunks, locations.delivery)]
    frames = sorted({f for layer in layers for f in layer.frames})
    packs = sorted({f.pack for f in frames} | {d.pack for d in locations.differences})
    # The empty key is in the table even where nothing uses it: a plain frame's number is 0 then.
    keys = sorted({f.key for f in frames} | {b""})
    pack_number = {p: i for i, p in enumerate(packs)}
    body = {
        "format": FORMAT,
        "version": version,
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
        "chunks": layers[0].rows(frames),
        "differences": difference_columns.encode(
            locations.differences, pack_number, new, old, old_kind=version < VERSION
        ),
    }
    if version > OLDEST:
        body |= {"delivery": layers[1].rows(frames), "price": locations.price}
    # Level 15: asked for by every device once an update, made once a build.
    return zstandard.ZstdCompressor(level=15).compress(cbor2.dumps(body, canonical=True))


@dataclass(frozen=True)
class _Layer:
    """Places of the chunks that a build has: rows in `places`, and their numbers in the build."""

    places: ChunkPlaces
    located: Numbers
    numbers: Numbers

    @classmethod
    def of(cls, places: ChunkPlaces, new: Tree) -> _Layer:
        numbers = new.chunks.digests.find_all(places.digests)
        located = np.flatnonzero(numbers >= 0)
        return cls(places, located, numbers[located])

    @property
    def frames(self) -> set[FramePlace]:
        used = np.unique(view(self.places.frame)[self.located]) if len(self.located) else ()
        return {self.places.frames[i] for i in used}

    def rows(self, frames: list[FramePlace]) -> dict[str, list[int]]:
        """Sorted by frame and offset."""
        rank = {f: i for i, f in enumerate(frames)}
        ranks = np.array([rank.get(f, 0) for f in self.places.frames], dtype=np.int64)
        frame = ranks[view(self.places.frame)[self.located]] if len(self.located) else np.zeros(0, np.int64)
        at = view(self.places.at)[self.located].astype(np.int64)
        order = np.lexsort((self.numbers, at, frame))
        # Columns that rise slowly pack far better than places by digest; both sides have the digests.
        return {
            "frame": difference_columns.deltas(frame[order]),
            "at": at[order].tolist(),
            "chunk": difference_columns.deltas(self.numbers[order]),
        }


def decode(encoded: bytes, new: Tree, old: Tree | None = None) -> Locations:
    """`old` is the tree that is installed, if any. Raises `Damaged`."""
    try:
        raw = inflate_document(encoded, MAX_RAW)
        said = raw.find(VERSION_KEY)
        version = raw[said + len(VERSION_KEY)] if said >= 0 else OLDEST
        if version not in DOCUMENTS:
            hint = "Nothing was replaced. Update what installs: the service has begun to say more."
            raise Damaged("locations.version", "these locations are of a version that is not known here", hint=hint)
        nothing: dict[str, Any] = {"delivery": NOTHING, "price": 0}
        body = nothing | read(raw, DOCUMENTS[version])
        if body["format"] != FORMAT:
            raise Damaged("locations.damaged", "these are no locations")
        _must_be_few(body, len(new.chunks))
        frames = _read_frames(body)
        chunks, delivery = (_read_chunks(body[name], frames, new.chunks) for name in ("chunks", "delivery"))
        # Without the old tree there is nothing to name its files by: chunks are fetched plain.
        started = body["base"] and old
        differences = (
            difference_columns.decode(body["differences"], _packs(body), new.chunks, old) if started and old else ()
        )
        if body["price"] > PRICE_LIMIT:
            raise Damaged("locations.damaged", "the locations name an impossible price")
        return Locations(chunks, differences, body["base"], delivery, body["price"])
    except Damaged:
        raise
    except Exception as error:
        # A hostile document can make the readers raise nearly anything; to the caller it is one thing.
        raise Damaged("locations.damaged", f"the locations cannot be read ({type(error).__name__})") from error


def _must_be_few(body: dict[str, Any], chunks: int) -> None:
    """Nothing is there that no chunk of the build needs: what is read is bounded by the build, whose manifests are signed."""
    differences = body["differences"]
    frames = max(len(column) for column in body["frames"].values())
    most = chunks if body["version"] < VERSION else CHAINED * (chunks + 64)
    if frames > 2 * chunks or max(len(differences["file"]), len(differences["chunk"])) > most:
        raise Damaged("locations.damaged", "the locations name more than the build has chunks")


def _packs(body: dict[str, Any]) -> list[bytes]:
    said = bytes(body["packs"])
    return [said[at : at + DIGEST_SIZE] for at in range(0, len(said) // DIGEST_SIZE * DIGEST_SIZE, DIGEST_SIZE)]


def _read_frames(body: dict[str, Any]) -> list[FramePlace]:
    columns, keys = body["frames"], body["keys"]
    numbers = columns["key"] if len(columns["key"]) else np.zeros(len(columns["pack"]), np.int64)
    if not all(len(k) in (0, ID_SIZE) for k in keys) or not _within(numbers, len(keys)):
        raise Damaged("locations.damaged", "the locations name an impossible key")
    frames, packs = [], _packs(body)
    if not _within(columns["pack"], len(packs)):
        raise Damaged("locations.damaged", "the locations name a pack that is not listed")
    rows = (c.tolist() for c in (columns["pack"], columns["offset"], columns["stored"], columns["raw"], numbers))
    for pack, offset, stored, raw, key in zip(*rows, strict=True):
        if offset < 0 or not 0 < stored <= FRAME_LIMIT or not 0 < raw <= FRAME_LIMIT:
            raise Damaged("locations.damaged", "the locations hold an impossible frame")
        frames.append(FramePlace(packs[pack], offset, stored, raw, keys[key]))
    return frames


def _read_chunks(columns: dict[str, Any], frames: list[FramePlace], known: Chunks) -> ChunkPlaces:
    frame, number = _undelta(columns["frame"]), _undelta(columns["chunk"])
    at = view(within("I", columns["at"])).astype(np.int64)
    if not len(frame) == len(number) == len(at):
        raise Damaged("locations.damaged", "the columns of the locations differ in length")
    if not (_within(frame, len(frames)) and _within(number, len(known))):
        raise Damaged("locations.damaged", "the locations name a chunk that is not there")
    if len(frame) and bool((at > np.array([f.raw for f in frames], dtype=np.int64)[frame]).any()):
        raise Damaged("locations.damaged", "the locations name a chunk that is not there")
    return ChunkPlaces(known.digests.take(number), column("I", frame), column("I", at), frames)


def _within(numbers: Numbers, count: int) -> bool:
    return not len(numbers) or 0 <= int(numbers.min()) <= int(numbers.max()) < count


def _undelta(deltas: Numbers) -> Numbers:
    return np.cumsum(deltas)
