"""Frames opened as streams: whatever they are packed with, what comes is what went in, or nothing does."""

from __future__ import annotations

import lzma
import struct
from collections.abc import Iterator
from contextlib import suppress

import pytest
import zstandard
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.content.pack import filters, lzma2
from rampa.core.content.pack.compression import Packing, stored_frame
from rampa.core.content.pack.filters import ARM64, BLOCKS, CODE, SOUND, X86_64, Filter
from rampa.core.content.pack.opening import FRAME_LIMIT, PIECE, open_pieces, spans_of
from rampa.core.content.pack.pack import compress
from rampa.core.content.pack.source import Source
from rampa.core.errors import Damaged
from tests.refusals import refuses
from tests.samples import noise, words

MIXED = words(1_500_000, 1) + noise(1_200_000, 2) + bytes(800_000) + b"\xe8\x10\x00\x00\x00" * 30_000


@pytest.mark.parametrize("pack", [lambda d: compress(d, Packing(3)), lambda d: lzma2.compress(d, 1), stored_frame])
@pytest.mark.parametrize(
    "content", [MIXED, b"x", noise(70_000), bytes(5_000_000)], ids=["mixed", "byte", "noise", "zeros"]
)
def test_what_went_in_comes_out_piece_by_piece(pack, content: bytes) -> None:  # type: ignore[no-untyped-def]
    pieces = list(open_pieces(pack(content), len(content)))
    assert b"".join(pieces) == content
    assert max(map(len, pieces)) <= max(2 * PIECE, 1)


@pytest.mark.parametrize("chosen", [Filter(CODE, X86_64), Filter(CODE, ARM64), Filter(SOUND, 2), Filter(BLOCKS, 16)])
@pytest.mark.parametrize("pack", [lambda d: compress(d, Packing(3)), lambda d: lzma2.compress(d, 1)])
def test_filtered_frames_come_back_as_streams(chosen: Filter, pack) -> None:  # type: ignore[no-untyped-def]
    sizes = [1_000_003, 7, 2_100_000, 1]
    runs = [(size, min(skip, chosen.record - 1)) for size, skip in zip(sizes, (1, 3, 0, 2), strict=True)]
    rest = len(MIXED) - sum(sizes)
    runs.append((rest, chosen.record if chosen.kind == CODE else 0))
    stored = filters.wrap(pack(filters.apply(MIXED, chosen, runs)), chosen, runs)
    assert b"".join(open_pieces(stored, len(MIXED))) == MIXED


@pytest.mark.parametrize("size", [1, 1000, 300_000])
@pytest.mark.parametrize("kind", ["zstd", "lzma2", "filtered"])
def test_frames_are_opened_while_they_arrive(kind: str, size: int) -> None:
    content = MIXED if size > 1 else words(20_000, 1)
    chosen, runs = Filter(CODE, X86_64), [(len(content), 0)]
    stored = {
        "zstd": lambda: compress(content, Packing(3)),
        "lzma2": lambda: lzma2.compress(content, 1),
        "filtered": lambda: filters.wrap(lzma2.compress(filters.apply(content, chosen, runs), 1), chosen, runs),
    }[kind]()
    asked = 0

    def arriving() -> Iterator[bytes]:
        nonlocal asked
        for asked in range(0, len(stored), size):
            yield stored[asked : asked + size]

    source = Source(arriving(), len(stored))
    pieces = open_pieces(source, len(content))
    first = next(pieces)
    assert size == 1 or asked < len(stored) // 2 or len(stored) < 4 * size, (
        "the first piece does not wait for the last byte"
    )
    assert first + b"".join(pieces) == content
    source.end()


def test_a_source_is_read_in_parts_and_to_its_end() -> None:
    source = Source([b"fog", b"", b"bog", b"wag", b"on"], 11)
    assert (source.peek(4), bytes(source.read(1))) == (b"fogb", b"f")
    part = source.part(6)
    assert bytes(part.read(2)) == b"og"
    assert bytes(part.read()) == b"bogw"
    part.end()
    assert bytes(source.read(99)) == b"agon"
    source.end()
    for pieces, size in (([b"fog"], 4), ([b"fog", b"g"], 3)):
        with refuses("download.damaged", "bytes came than were asked for"):
            Source(pieces, size).end()
    with refuses("download.damaged", "fewer"):
        Source([b"fog"], 3).part(4)


@given(st.lists(st.binary(min_size=1, max_size=30), max_size=20), st.data())
def test_stretches_of_pieces(pieces: list[bytes], data: st.DataObject) -> None:
    content = b"".join(pieces)
    cuts = sorted(data.draw(st.lists(st.integers(0, len(content)), max_size=12)))
    spans = [(a, b - a) for a, b in zip(cuts[::2], cuts[1::2], strict=False)]
    assert [bytes(p) for p in spans_of(pieces, spans)] == [content[a : a + n] for a, n in spans]
    with refuses("pack.damaged", "shorter"):
        list(spans_of(pieces, [*spans, (len(content), 1)]))
    with refuses("pack.damaged", "overlap"):
        list(spans_of([b"fog" * 10], [(4, 4), (3, 2)]))


@given(st.binary(max_size=40), st.integers(0, 300), st.sampled_from(["zstd", "lzma2", "filtered"]), st.integers(-2, 2))
@settings(max_examples=200)
def test_damage_is_said_and_never_more_than_promised_comes(change: bytes, at: int, kind: str, more: int) -> None:
    content = words(4000, 5)
    chosen, runs = Filter(CODE, X86_64), [(4000, 0)]
    stored = {
        "zstd": lambda: compress(content, Packing(3)),
        "lzma2": lambda: lzma2.compress(content, 1),
        "filtered": lambda: filters.wrap(lzma2.compress(filters.apply(content, chosen, runs), 1), chosen, runs),
    }[kind]()
    broken = stored[:at] + change + stored[at + len(change) :]
    came = 0
    with suppress(Damaged):
        for piece in open_pieces(broken, len(content) + more):
            came += len(piece)
        assert came == len(content) + more
    assert came <= len(content) + more


def lying(length: int, code: int, body: bytes) -> bytes:
    return struct.pack("<IIB", lzma2.SKIPPABLE, length, code) + body


def test_lies_about_a_frame_take_no_memory() -> None:
    body = lzma.compress(bytes(100), lzma.FORMAT_RAW, filters=[{"id": lzma.FILTER_LZMA2, "preset": 1}])
    for stored in (
        lying(len(body) + 1, 40, body),  # a dictionary of 4 GiB
        lying(len(body) + 2, 0, body),
        lying(len(body), 0, body[:-1]),
        lying(len(body) + 2, 0, body + b"\0"),
        lying(1, 0, b""),
    ):
        with refuses("pack.damaged"):
            list(open_pieces(stored, 100))
    assert b"".join(open_pieces(lying(len(body) + 1, 0, body), 100)) == bytes(100)
    with refuses("pack.damaged", "absurd"):
        list(open_pieces(body, FRAME_LIMIT + 1))
    with refuses("pack.damaged", "absurd"):
        list(open_pieces(body, 0))


def test_a_small_frame_that_unpacks_to_gigabytes_ends_where_it_promised() -> None:
    bomb = lzma2.compress(bytes(40 * PIECE), 1)
    came = 0
    with refuses("pack.damaged", "size"):
        for piece in open_pieces(bomb, 3 * PIECE):
            came += len(piece)
    assert came <= 3 * PIECE
    long = zstandard.ZstdCompressor(level=1).compress(bytes(40 * PIECE))
    with refuses("pack.damaged"):
        list(open_pieces(long, 3 * PIECE))
