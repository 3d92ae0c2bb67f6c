"""Plain chunks in frames for new packs: whole frames go as they are, so their packing stays; what is left of others is packed
together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence

from rampa.core.content.pack.new_frame import NewFrame
from rampa.core.content.pack.pack import FRAME_TARGET, compress
from rampa.core.content.pack.places import FramePlace
from rampa.core.content.tree.tree import Chunk
from rampa.operations.base import Services
from rampa.operations.content.frames import read_frame


def new_frames(
    services: Services, chunks: Sequence[Chunk], places: Mapping[bytes, tuple[FramePlace, int]]
) -> Iterator[NewFrame]:
    """Frames that hold exactly these chunks, which must lie in plain frames."""
    inside: dict[FramePlace, list[tuple[int, Chunk]]] = defaultdict(list)
    for chunk in chunks:
        frame, at = places[chunk.digest]
        inside[frame].append((at, chunk))
    group: list[Chunk] = []
    parts: list[bytes] = []
    for frame in sorted(inside):
        pieces = sorted(inside[frame], key=lambda row: row[0])
        # All of the frame is wanted: its bytes go over as they are, without unpacking.
        if sum(chunk.size for _, chunk in pieces) == frame.raw:
            stored = services.store.read_pack(frame.pack, frame.offset, frame.stored)
            yield NewFrame([chunk for _, chunk in pieces], stored, frame.raw)
            continue
        content = read_frame(services, frame)
        for at, chunk in pieces:
            if group and sum(c.size for c in group) + chunk.size > FRAME_TARGET:
                yield _packed(group, parts)
                group, parts = [], []
            group.append(chunk)
            parts.append(content[at : at + chunk.size])
    if group:
        yield _packed(group, parts)


def _packed(group: list[Chunk], parts: list[bytes]) -> NewFrame:
    raw = b"".join(parts)
    return NewFrame(group, compress(raw), len(raw))
