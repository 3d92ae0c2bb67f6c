"""Packs from a stranger: frames that are not what their index or their chunks' digests say."""

from __future__ import annotations

from dataclasses import replace

import pytest
from blake3 import blake3

from rampa.core.content.pack import pack
from rampa.core.content.pack.pack import Frame
from rampa.core.content.tree.tree import Chunk
from tests.refusals import refuses
from tests.samples import noise, words

PARTS = [words(3_000), noise(2_000)]


def one() -> tuple[bytes, Frame]:
    chunks = tuple(Chunk(blake3(p).digest(), len(p)) for p in PARTS)
    return b"".join(PARTS), Frame(0, 0, sum(map(len, PARTS)), chunks)


def test_every_chunk_of_a_frame_is_looked_at() -> None:
    content, frame = one()
    pack.verify_chunks(frame, [content])
    for at in (0, len(content) - 1):
        spoilt = bytearray(content)
        spoilt[at] ^= 1
        with refuses("chunk.damaged"):
            pack.verify_chunks(frame, [bytes(spoilt)])
    with refuses("pack.damaged", "more than its chunks"):
        pack.verify_chunks(replace(frame, chunks=frame.chunks[:1]), [content])


@pytest.mark.parametrize("data", [b"", b"fog", noise(4_000)])
def test_noise_is_no_frame_and_no_pack(data: bytes) -> None:
    with refuses("pack.damaged"):
        pack.decompress(data, 4_000)
    with refuses("pack.damaged"):
        pack.read_index(data, len(data))
