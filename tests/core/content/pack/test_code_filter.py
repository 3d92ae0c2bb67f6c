"""The filter of code against a second one, written from docs/formats.md alone, byte by byte."""

from __future__ import annotations

from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.pack import code_filter
from rampa.core.content.pack.code_filter import CodeStream, turn_arm64, turn_x86

PIECES = [b"\xe8", b"\xe9", b"\x00", b"\xff", b"\x7f", b"\x80\x01", b"\xe8\x10\x00\x00\x00", b"\xe8\xf0\xff\xff\xff"]
X86 = st.binary(max_size=300) | st.lists(st.sampled_from(PIECES), max_size=80).map(b"".join)
BRANCHES = st.integers(0, 2**32 - 1) | st.integers(0, 2**26 - 1).map(lambda n: 0x94000000 | n)
PAGES = st.integers(0, 2**24 - 1).map(lambda n: 0x90000000 | n) | st.integers(0, 31).map(lambda n: 0xF0FFFFE0 | n)
ARM = st.lists(BRANCHES | PAGES, max_size=60)


def x86(data: bytes, sign: int) -> bytes:
    out, at = bytearray(data), 0
    while at + 5 <= len(data):
        if data[at] not in (0xE8, 0xE9):
            at += 1
            continue
        distance = int.from_bytes(data[at + 1 : at + 5], "little", signed=True)
        if -(2**24) <= distance < 2**24:
            moved = (distance + sign * (at + 5)) % 2**25
            moved -= 2**25 if moved >= 2**24 else 0
            out[at + 1 : at + 5] = moved.to_bytes(4, "little", signed=True)
        at += 5
    return bytes(out)


def arm64(words: list[int], sign: int) -> list[int]:
    out = []
    for place, word in enumerate(words):
        if word >> 26 == 0b100101:
            word = 0b100101 << 26 | (word + sign * place) % 2**26
        elif word >> 31 == 1 and word >> 24 & 0b11111 == 0b10000:
            pages = (word >> 5 & 0x7FFFF) << 2 | word >> 29 & 3
            moved = (pages + sign * (place * 4 // 4096)) % 2**21
            word = 1 << 31 | (moved & 3) << 29 | 0b10000 << 24 | (moved >> 2) << 5 | word & 31
        out.append(word)
    return out


@given(X86)
def test_calls_of_x86(data: bytes) -> None:
    array = np.frombuffer(data, np.uint8)
    turned = turn_x86(array, back=False).tobytes()
    assert turned == x86(data, 1)
    assert x86(turned, -1) == data
    assert turn_x86(np.frombuffer(turned, np.uint8), back=True).tobytes() == data


@given(ARM, st.integers(0, 3))
def test_branches_and_pages_of_arm64(words: list[int], pages: int) -> None:
    # Far from the start, too: pages begin to count there.
    words = [0xD503201F] * (1024 * pages) + words
    data = np.array(words, "<u4").view(np.uint8)
    turned = turn_arm64(data, back=False)
    assert turned.view("<u4").tolist() == arm64(words, 1)
    assert turn_arm64(turned, back=True).tobytes() == data.tobytes()


def test_a_distance_that_goes_around_comes_back() -> None:
    far = b"\xe8" + (2**24 - 1).to_bytes(4, "little", signed=True)
    near = b"\xe8" + (-(2**24)).to_bytes(4, "little", signed=True)
    for data in (bytes(3_000) + far, near, far[:4], near + far):
        turned = turn_x86(np.frombuffer(data, np.uint8), back=False)
        assert turn_x86(turned, back=True).tobytes() == data


@given(X86, ARM, st.integers(0, 400), st.booleans())
def test_kernel_and_numpy_turn_alike(data: bytes, words: list[int], position: int, back: bool) -> None:
    if code_filter._kernel is None:
        pytest.skip("no kernel was built here")
    array, code = np.frombuffer(data, np.uint8), np.array(words, "<u4").view(np.uint8)
    free = position % 7
    compiled = code_filter._turn_calls(array, back, position, free)
    turned = turn_arm64(code, back, 4 * position)
    with patch.object(code_filter, "_kernel", None):
        other = code_filter._turn_calls(array, back, position, free)
        assert turned.tobytes() == turn_arm64(code, back, 4 * position).tobytes()
    assert compiled[0].tobytes() == other[0].tobytes()
    assert compiled[1] == other[1]


@given(X86, st.lists(st.integers(0, 40), max_size=30))
def test_calls_that_come_in_pieces(data: bytes, sizes: list[int]) -> None:
    turned = turn_x86(np.frombuffer(data, np.uint8), back=False).tobytes()
    assert streamed(CodeStream(1), turned, sizes) == data


@given(ARM, st.lists(st.integers(0, 40), max_size=30), st.binary(max_size=3))
def test_branches_that_come_in_pieces(words: list[int], sizes: list[int], rest: bytes) -> None:
    words = [0xD503201F] * 1020 + words
    turned = turn_arm64(np.array(words, "<u4").view(np.uint8), back=False).tobytes()
    assert streamed(CodeStream(4), turned + rest, sizes) == np.array(words, "<u4").tobytes() + rest


def streamed(stream: CodeStream, data: bytes, sizes: list[int]) -> bytes:
    out, at = [], 0
    for size in sizes:
        out.append(stream.feed(data[at : at + size], last=False))
        at += size
    return b"".join([*out, stream.feed(data[at:], last=True)])
