"""The parts of requests, asked for ahead and in order."""

from __future__ import annotations

import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core import parallel
from rampa.core.content.pack.places import FramePlace
from rampa.core.install.cheapest import REQUEST_LIMIT, Request
from rampa.core.install.line import Line

SIZES = st.lists(st.integers(1, 3 * REQUEST_LIMIT), min_size=1, max_size=6)


def requests_of(sizes: list[int]) -> list[Request]:
    return [Request(bytes([n]) * 32, 0, size, (FramePlace(b"", 0, size, size),)) for n, size in enumerate(sizes)]


@given(SIZES, st.integers(1, 3), st.integers(1, 4))
def test_each_part_comes_once_and_few_are_asked_for_ahead(sizes: list[int], workers: int, ahead: int) -> None:
    requests = requests_of(sizes)
    asked: list[tuple[bytes, int, int]] = []
    taken, most = 0, 0
    lock = threading.Lock()

    def read(pack: bytes, offset: int, size: int) -> bytes:
        nonlocal most
        with lock:
            asked.append((pack, offset, size))
            most = max(most, len(asked) - taken)
        return bytes([pack[0]])

    def take(numbered: tuple[int, Request]) -> int:
        nonlocal taken
        count = 0
        for data in line.arriving(*numbered):
            assert data == bytes([numbered[0]])
            count += 1
            with lock:
                taken += 1
        return count

    with parallel.pool(workers) as threads, parallel.pool(workers) as readers:
        line = Line(requests, read, readers, ahead)
        counts = list(parallel.in_order(threads, take, enumerate(requests)))
    parts = [(r.pack, *part) for r in requests for part in r.parts]
    assert counts == [len(r.parts) for r in requests]
    assert sorted(asked) == sorted(parts)
    # Each thread asks for one that it wants at once beyond what is allowed ahead, and has the part before in its hands.
    assert most <= ahead + 2 * workers


def test_a_part_that_does_not_come_is_told_to_the_one_who_takes_it() -> None:
    [request] = requests_of([2 * REQUEST_LIMIT])

    def read(pack: bytes, offset: int, size: int) -> bytes:
        if offset:
            raise ConnectionError("gone")
        return b"first"

    with parallel.pool(1) as readers:
        arriving = Line([request], read, readers, 2).arriving(0, request)
        assert next(arriving) == b"first"
        with pytest.raises(ConnectionError, match="gone"):
            next(arriving)
