"""Sizes of frames: measured once, kept, and of players' frames from a sample."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from blake3 import blake3

from rampa.core import parallel
from rampa.core.content.layout.frames import plan_frames
from rampa.core.content.layout.making import make_frame
from rampa.core.content.layout.order import FileOrder
from rampa.core.content.layout.ways import MIB, ZSTD, Way
from rampa.core.content.pack.compression import PackingRules
from rampa.core.content.pack.pack import compress
from rampa.core.content.pack.shared_frames import SharedFrame, places, shared_frames
from rampa.core.content.replay import frame_sizes
from rampa.core.content.replay.frame_sizes import FrameSizes
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from tests.samples import noise, words

SIZE = 100_000


@pytest.fixture
def tree() -> tuple[Tree, dict[str, bytes]]:
    content = {f"f{n:02}": words(SIZE, n) if n % 2 else noise(SIZE, n) for n in range(40)}
    files = []
    for path, data in content.items():
        digest = blake3(data).digest()
        files.append(FileEntry(path, SIZE, False, digest, [Chunk(digest, SIZE)]))
    return Tree(files), content


def test_each_frame_is_compressed_once_however_often_it_is_asked_for(
    tree: tuple[Tree, dict[str, bytes]], monkeypatch: pytest.MonkeyPatch
) -> None:
    whole, content = tree
    reads = 0

    def read(path: str, offset: int, size: int) -> bytes:
        nonlocal reads
        reads += 1
        return content[path][offset : offset + size]

    def frames(level: int) -> Iterator[SharedFrame]:
        return shared_frames(places(whole), PackingRules(level), lambda path: None)

    told: list[int] = []
    sizes = FrameSizes()
    with parallel.pool() as threads:
        first = [stored for _, stored in sizes.of_shared(threads, frames(3), read, told.append)]
        assert sum(told) == 40 * SIZE
        reads = 0
        for known in (sizes, FrameSizes(sizes.joined())):
            assert [stored for _, stored in known.of_shared(threads, frames(3), read, told.append)] == first
        assert reads == 0
        better = [stored for _, stored in sizes.of_shared(threads, frames(19), read, told.append)]
    assert reads
    assert sum(better) < sum(first)
    joined = b"".join(content.values())
    assert first[0] == len(compress(joined[: 10 * SIZE]))


def test_what_is_not_in_the_sample_follows_from_it(
    tree: tuple[Tree, dict[str, bytes]], monkeypatch: pytest.MonkeyPatch
) -> None:
    whole, content = tree
    way = Way(ZSTD, 3, 1)

    def read(path: str, offset: int, size: int) -> bytes:
        return content[path][offset : offset + size]

    groups = np.zeros(len(whole.chunks), dtype=np.int64)
    plans = list(plan_frames(whole, FileOrder(list(range(40))), groups, way.frame * MIB, frozenset()))
    real = [len(make_frame(p, read, way).stored) for p in plans]
    told: list[int] = []
    with parallel.pool() as threads:
        assert FrameSizes().of_players(threads, plans, read, way, told.append) == real
        monkeypatch.setattr(frame_sizes, "SAMPLE", 2 * MIB)
        sampled = FrameSizes().of_players(threads, plans, read, way, told.append)
    assert sampled != real
    assert abs(sum(sampled) / sum(real) - 1) < 0.05
