"""Bounds on rates: they hold at all looks together, narrow with what is seen, and say nothing where nothing was."""

from __future__ import annotations

import math
import random
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.health.sequential import Bounds, Count, bounds, log_ratio

ERROR = 0.05


@st.composite
def counts(draw: st.DrawFn) -> Count:
    total = draw(st.integers(1, 5000))
    return Count(draw(st.integers(0, total)), total)


@given(counts(), st.sampled_from([0.2, 0.01, 1e-4]))
def test_the_observed_rate_is_never_ruled_out(count: Count, error: float) -> None:
    found = bounds(count, error)
    assert 0 <= found.low <= count.rate <= found.high <= 1
    assert log_ratio(count, count.rate) < -math.log(error)


@given(counts())
def test_what_lies_outside_is_ruled_out_and_what_lies_inside_is_not(count: Count) -> None:
    found = bounds(count, ERROR)
    limit = -math.log(ERROR)
    for edge, outwards in ((found.low, -1e-6), (found.high, 1e-6)):
        if 1e-5 < edge < 1 - 1e-5:
            assert log_ratio(count, edge + outwards) >= limit - 1e-9
            assert log_ratio(count, edge - outwards) < limit + 1e-3


@given(counts())
def test_the_other_way_round(count: Count) -> None:
    """That so many go well says the same as that the rest goes wrong."""
    here, there = bounds(count, ERROR), bounds(Count(count.total - count.bad, count.total), ERROR)
    assert here.low == pytest.approx(1 - there.high, abs=1e-9)
    assert here.high == pytest.approx(1 - there.low, abs=1e-9)


@given(counts())
def test_less_error_is_wider(count: Count) -> None:
    narrow, wide = bounds(count, 0.2), bounds(count, 0.001)
    assert wide.low <= narrow.low
    assert wide.high >= narrow.high


def test_nothing_seen_says_nothing() -> None:
    assert bounds(Count(), 0.01) == Bounds(0.0, 1.0)


@pytest.mark.parametrize("count", [Count(0, 10), Count(5, 10), Count(10, 1000), Count(999, 1000)])
@pytest.mark.parametrize("rate", [Fraction(1, 100), Fraction(1, 3), Fraction(9, 10)])
def test_the_ratio_is_that_of_the_formula(count: Count, rate: Fraction) -> None:
    """B(a + s, b + g) / B(a, b) as a product, in whole numbers: no gamma function, no rounding."""
    half, good = Fraction(1, 2), count.total - count.bad
    exact = Fraction(1)
    for n in range(count.bad):
        exact *= (half + n) / rate
    for n in range(good):
        exact *= (half + n) / (1 - rate)
    for n in range(count.total):
        exact /= 1 + n
    there = math.log(exact.numerator) - math.log(exact.denominator)
    assert log_ratio(count, float(rate)) == pytest.approx(there, rel=1e-9, abs=1e-9)


def test_the_true_rate_stays_inside_at_every_look() -> None:
    """Of 300 courses of 400 observations each, at most 5 % may ever leave it out: 15, and three deviations more."""
    chance, left = random.Random(7), 0
    for _ in range(300):
        count = Count()
        for _ in range(400):
            count = count + Count(int(chance.random() < 0.05), 1)
            if log_ratio(count, 0.05) >= -math.log(ERROR):
                left += 1
                break
    assert left <= 26
