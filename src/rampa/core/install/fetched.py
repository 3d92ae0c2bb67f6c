"""What a ranged request brings: frames, opened piece by piece, and the chunks in them, each checked."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from blake3 import blake3

from rampa.core.content.pack.encryption import decrypt_pieces
from rampa.core.content.pack.opening import PIECE, open_pieces, spans_of
from rampa.core.content.pack.places import FramePlace
from rampa.core.content.pack.source import Source
from rampa.core.content.tree.columns import Numbers
from rampa.core.content.tree.tree import Chunks
from rampa.core.errors import Damaged, Refused
from rampa.core.install.cheapest import Request, Taken


class ChunksByFrame:
    """The chunks that are taken from each frame: their number, digest, size, and offset in the frame's content."""

    def __init__(self, chunks: Chunks, missing: Numbers, frames: Iterable[Taken]) -> None:
        """`missing`: the numbers of the chunks that the frames' count in."""
        self._chunks, self._missing = chunks, missing
        self._taken = {t.frame: t for t in frames}

    def __iter__(self) -> Iterator[FramePlace]:
        return iter(self._taken)

    def of(self, frame: FramePlace) -> list[tuple[int, bytes, int, int]]:
        taken = self._taken[frame]
        numbers = self._missing[taken.chunks].tolist()
        digests, sizes = self._chunks.digests, self._chunks.sizes
        return [(n, digests[n], sizes[n], at) for n, at in zip(numbers, taken.at.tolist(), strict=True)]


def open_frames(
    request: Request, arriving: Iterable[bytes], by_frame: ChunksByFrame, keys: Mapping[bytes, bytes]
) -> Iterator[list[tuple[int, memoryview]]]:
    """The wanted chunks of frames as they arrive, some at a time (what unpacks large is not held at once), by number, each
    checked.

    Raises `Damaged`.
    """
    source = Source(arriving, request.size)
    for frame in request.frames:
        stored = source.part(frame.stored)
        wanted = by_frame.of(frame)
        out, held = [], 0
        spans = spans_of(_content(frame, stored, keys), [(at, size) for _, _, size, at in wanted])
        for (number, digest, size, _), piece in zip(wanted, spans, strict=True):
            if blake3(piece).digest() != digest:
                raise Damaged(
                    "download.damaged",
                    f"chunk {digest.hex()[:12]} came damaged",
                    hint="Nothing was replaced. Run the command again; a cache on the way may hold a bad copy.",
                )
            out.append((number, piece))
            held += size
            if held >= PIECE:
                yield out
                out, held = [], 0
        yield out
        stored.end()
    source.end()


def _content(frame: FramePlace, stored: Source, keys: Mapping[bytes, bytes]) -> Iterator[bytes]:
    if not frame.key:
        return open_pieces(stored, frame.raw)
    if frame.key not in keys:
        raise Refused("content.locked", "this content is encrypted, and its key was not given out")
    # Whole before a byte of it is opened: what nobody vouches for never reaches a decompressor.
    return decrypt_pieces(stored.read(), frame.raw, keys[frame.key], frame.key)
