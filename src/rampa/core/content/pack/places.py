"""Where chunks lie in packs: a million of them in forty megabytes."""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from rampa.core.content.pack.pack import Frame
from rampa.core.content.tree.columns import Digests, column, view
from rampa.core.content.tree.tree import Chunk
from rampa.core.errors import Unavailable


@dataclass(frozen=True, slots=True, order=True)
class FramePlace:
    """A frame in a pack: the pack's digest (its address), offset and stored size, raw size; all in bytes. `key`: the id of the
    key that it is encrypted with, if it is."""

    pack: bytes
    offset: int
    stored: int
    raw: int
    key: bytes = b""

    def share(self, size: int) -> int:
        """Of the stored bytes, about what a chunk of `size` bytes takes; for a judgement, where one chunk's own are not known."""
        return max(1, self.stored * size // self.raw)


class ChunkPlaces(Mapping[bytes, tuple[FramePlace, int]]):
    """Chunk digest -> (its frame, its offset in the frame's content)."""

    def __init__(self, digests: Digests, frame: array[int], at: array[int], frames: list[FramePlace]) -> None:
        """`frame` holds numbers in `frames` (array of I), `at` offsets in bytes (array of I), one for each digest."""
        self.digests, self.frame, self.at, self.frames = digests, frame, at, frames

    @classmethod
    def of(cls, places: Mapping[bytes, tuple[FramePlace, int]]) -> ChunkPlaces:
        if isinstance(places, ChunkPlaces):
            return places
        building = PlacesBuilder()
        for digest, (frame, at) in places.items():
            building.add(digest, frame, at)
        return building.places()

    def __len__(self) -> int:
        return len(self.digests)

    def __iter__(self) -> Iterator[bytes]:
        return iter(self.digests)

    def __getitem__(self, digest: bytes) -> tuple[FramePlace, int]:
        row = self.digests.find(digest)
        if row < 0:
            raise KeyError(digest)
        return self.frames[self.frame[row]], self.at[row]

    def only(self, wanted: Digests) -> ChunkPlaces:
        """Those of these chunks that lie here, in their order."""
        rows = self.digests.find_all(wanted)
        rows = rows[rows >= 0]
        frame, at = column("I", view(self.frame)[rows]), column("I", view(self.at)[rows])
        return ChunkPlaces(self.digests.take(rows), frame, at, self.frames)

    def frames_of(self, wanted: Digests) -> list[FramePlace]:
        """The frames that hold these chunks, each once, in the order of the packs. Raises `Unavailable`."""
        rows = self.digests.find_all(wanted)
        for lost in np.flatnonzero(rows < 0).tolist():
            raise lacking(wanted[lost])
        return sorted(self.frames[i] for i in np.unique(view(self.frame)[rows])) if len(rows) else []


def lacking(digest: bytes) -> Unavailable:
    """A chunk is in no pack."""
    return Unavailable(
        "content.missing",
        f"chunk {digest.hex()[:12]} is in no pack",
        hint="The service's content store is damaged: ask its owner to look at it.",
    )


def joined_places(parts: Sequence[ChunkPlaces]) -> ChunkPlaces:
    """One behind the other; frames that several name are kept once."""
    numbers: dict[FramePlace, int] = {}
    frame, at = array("I"), array("I")
    for part in parts:
        renumbered = np.array([numbers.setdefault(f, len(numbers)) for f in part.frames], dtype=np.uint32)
        frame.frombytes(renumbered[view(part.frame)].tobytes() if len(part) else b"")
        at += part.at
    return ChunkPlaces(Digests(b"".join(p.digests.joined for p in parts)), frame, at, list(numbers))


class PlacesBuilder:
    """Places added one by one; frames that are the same are kept once. Of two places for a chunk, the first one counts."""

    def __init__(self, before: ChunkPlaces | None = None) -> None:
        """`before`: places to go on from."""
        known = before or ChunkPlaces(Digests(), array("I"), array("I"), [])
        self._digests, self._frame, self._at = bytearray(known.digests.joined), known.frame[:], known.at[:]
        self._numbers = {frame: i for i, frame in enumerate(known.frames)}

    def add(self, digest: bytes, frame: FramePlace, at: int) -> None:
        self._digests += digest
        # A dictionary keeps its order: a frame's number is when it came first.
        self._frame.append(self._numbers.setdefault(frame, len(self._numbers)))
        self._at.append(at)

    def add_frame(self, frame: FramePlace, chunks: Iterable[Chunk]) -> None:
        """Its chunks, one behind the other."""
        at = 0
        for chunk in chunks:
            self.add(chunk.digest, frame, at)
            at += chunk.size

    def add_pack(self, pack: bytes, frames: Iterable[Frame]) -> None:
        """What the index of a plain pack says; `pack` is its digest."""
        for frame in frames:
            self.add_frame(FramePlace(pack, frame.offset, frame.stored, frame.raw), frame.chunks)

    def places(self) -> ChunkPlaces:
        return ChunkPlaces(Digests(bytes(self._digests)), self._frame, self._at, list(self._numbers))
