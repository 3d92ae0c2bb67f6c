"""Cutting: the same cuts however the content is fed, within the limits, moved only near an edit."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.scan import cuts as cutting
from rampa.core.content.scan.cuts import Cutter, candidates, candidates_numpy, cut_all
from rampa.core.content.tree.parameters import DEFAULT, WINDOW, CutParameters
from tests.refusals import refuses
from tests.samples import noise

SMALL = CutParameters(minimum=128, average=512, maximum=2048, normalisation=2)


@given(
    st.one_of(
        st.binary(max_size=6000),
        # Long enough for the kernel to look at four stretches side by side.
        st.builds(
            lambda size, seed, head: head + noise(size, seed),
            st.integers(16_000, 70_000),
            st.integers(0, 99),
            st.binary(),
        ),
    ),
    st.integers(0, 70),
)
def test_kernel_and_numpy_find_the_same(data: bytes, warm: int) -> None:
    if cutting._cut_kernel is None:
        pytest.skip("no kernel was built here")
    warm = min(warm, len(data))
    kernel = cutting.candidates_kernel(data, warm, SMALL)
    # Before the window is full the numpy version may only look back to the start, as the kernel does.
    if warm in (0, WINDOW - 1):
        assert kernel.tolist() == candidates_numpy(data, warm, SMALL).tolist()


@given(st.integers(0, 2**32), st.integers(1, 40_000), st.lists(st.integers(1, 9000), min_size=1, max_size=8))
def test_pieces_do_not_matter(seed: int, size: int, pieces: list[int]) -> None:
    data = noise(size, seed)
    cuts: list[int] = []
    cutter, at = Cutter(SMALL), 0
    for piece in [*pieces, size]:
        end = min(size, at + piece)
        warm = min(at, WINDOW - 1)
        found = candidates(data[at - warm : end], warm, SMALL)
        cuts.extend(cutter.feed(found, at - warm, end))
        at = end
    cuts.extend(cutter.finish(size))
    assert cuts == cut_all(data, SMALL)


@given(st.integers(0, 2**32), st.integers(0, 60_000))
def test_sizes_stay_within_the_limits(seed: int, size: int) -> None:
    cuts = cut_all(noise(size, seed), SMALL)
    sizes = np.diff([0, *cuts])
    assert (cuts[-1] if cuts else 0) == size
    assert all(s <= SMALL.maximum for s in sizes)
    assert all(s >= SMALL.minimum for s in sizes[:-1])


def test_an_insertion_changes_few_chunks() -> None:
    data = noise(8_000_000)
    edited = data[:4_000_000] + b"a lantern" + data[4_000_000:]
    old = {data[a:b] for a, b in zip([0, *cut_all(data)], cut_all(data), strict=False)}
    cuts = cut_all(edited)
    new = [edited[a:b] for a, b in zip([0, *cuts], cuts, strict=False)]
    assert sum(c not in old for c in new) <= 3
    assert 40_000 < len(data) / len(old) < 100_000


def test_zeros_are_cut_at_the_maximum() -> None:
    assert cut_all(bytes(DEFAULT.maximum * 2 + 5)) == [DEFAULT.maximum, DEFAULT.maximum * 2, DEFAULT.maximum * 2 + 5]


@pytest.mark.parametrize("sizes", [(64, 100, 200), (512, 256, 1024), (10, 64, 128), (64, 128, 2**30)])
def test_impossible_parameters_cannot_be_made(sizes: tuple[int, int, int]) -> None:
    with refuses("content.parameters"):
        CutParameters(*sizes)
