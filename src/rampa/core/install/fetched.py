"""What a ranged request brings: frames, opened, and the chunks in them, each checked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from blake3 import blake3

from rampa.core.content.pack.encryption import decrypt
from rampa.core.content.pack.pack import decompress
from rampa.core.content.pack.places import ChunkPlaces, FramePlace
from rampa.core.content.tree.columns import Numbers, column, view
from rampa.core.content.tree.tree import Chunks
from rampa.core.errors import Damaged, Refused
from rampa.core.install.plan import Request


class ChunksByFrame:
    """The chunks that are missing, by the frame that holds them. `frames` are in the order of the packs."""

    def __init__(self, missing: Numbers, chunks: Chunks, places: ChunkPlaces) -> None:
        """Raises `Unavailable` for a chunk that is in no pack."""
        rows = places.rows(chunks.digests.take(missing))
        frame, at = view(places.frame)[rows], view(places.at)[rows]
        order = np.lexsort((at, frame))
        self._numbers, self._at = column("I", missing[order]), column("I", at[order])
        self._chunks = chunks
        used, first = np.unique(frame[order], return_index=True)
        slices = zip(used.tolist(), first.tolist(), np.append(first, len(order))[1:].tolist(), strict=True)
        self._slices = {places.frames[f]: (a, b) for f, a, b in slices}
        self.frames = sorted(self._slices)

    def of(self, frame: FramePlace) -> Iterator[tuple[int, bytes, int, int]]:
        """(number, digest, size, offset in the frame's content) of each."""
        for i in range(*self._slices[frame]):
            number = self._numbers[i]
            yield number, self._chunks.digests[number], self._chunks.sizes[number], self._at[i]


def open_frames(
    request: Request, data: bytes, by_frame: ChunksByFrame, keys: Mapping[bytes, bytes]
) -> Iterator[list[tuple[int, memoryview]]]:
    """The wanted chunks of fetched frames, frame by frame (what unpacks large is not held at once), by number, each checked.

    Raises `Damaged`.
    """
    # A server that sends more or less than was asked for is not trusted with the rest.
    if len(data) != request.size:
        raise Damaged("download.damaged", f"{len(data)} bytes came where {request.size} were asked for")
    view_ = memoryview(data)
    for frame in request.frames:
        out = []
        start = frame.offset - request.offset
        content = memoryview(_content(frame, view_[start : start + frame.stored], keys))
        for number, digest, size, at in by_frame.of(frame):
            piece = content[at : at + size]
            if blake3(piece).digest() != digest:
                raise Damaged(
                    "download.damaged",
                    f"chunk {digest.hex()[:12]} came damaged",
                    hint="Nothing was replaced. Run the command again; a cache on the way may hold a bad copy.",
                )
            out.append((number, piece))
        yield out


def _content(frame: FramePlace, stored: memoryview, keys: Mapping[bytes, bytes]) -> bytes:
    if not frame.key:
        return decompress(stored, frame.raw)
    if frame.key not in keys:
        raise Refused("content.locked", "this content is encrypted, and its key was not given out")
    return decrypt(stored, frame.raw, keys[frame.key], frame.key)
