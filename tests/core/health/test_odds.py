"""The test of whether a build is worse: it is a fair game where both are as good, and grows where one is not."""

from __future__ import annotations

import math
import random
from fractions import Fraction
from math import comb

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.health.odds import RATIOS, Span, log_evidence
from rampa.core.health.sequential import Count

SIZES = st.integers(0, 40)


def exact(span: Span, ratio: Fraction) -> Fraction:
    """P(bad of new | ratio) / P(bad of new | 1), in whole numbers."""
    new, old = span.new, span.old
    bad = new.bad + old.bad
    ways = {k: comb(new.total, k) * comb(old.total, bad - k) for k in range(bad + 1) if bad - k >= 0}
    odd = sum(w * ratio**k for k, w in ways.items())
    return ratio**new.bad * Fraction(sum(ways.values())) / odd


@st.composite
def spans(draw: st.DrawFn) -> Span:
    new, old = draw(SIZES), draw(SIZES)
    return Span(Count(draw(st.integers(0, new)), new), Count(draw(st.integers(0, old)), old))


@given(st.lists(spans(), max_size=5))
def test_it_is_the_formula(course: list[Span]) -> None:
    mixed = Fraction(0)
    for ratio in RATIOS:
        product = Fraction(1)
        for span in course:
            product *= exact(span, Fraction(ratio))
        mixed += product / len(RATIOS)
    assert log_evidence([course]) == pytest.approx(math.log(mixed), abs=1e-6)


@given(SIZES, SIZES, st.integers(0, 20))
def test_where_both_are_as_good_its_mean_is_one(new: int, old: int, bad: int) -> None:
    """Over all that can happen in a span, each as often as it does: 1, whatever is known before."""
    bad = min(bad, new + old)
    before = [Span(Count(2, 9), Count(1, 9))]
    start = math.exp(log_evidence([before]))
    mean = 0.0
    for k in range(max(0, bad - old), min(bad, new) + 1):
        chance = comb(new, k) * comb(old, bad - k) / comb(new + old, bad)
        mean += chance * math.exp(log_evidence([[*before, Span(Count(k, new), Count(bad - k, old))]]))
    assert mean == pytest.approx(start, rel=1e-9)


def test_nothing_observed_says_nothing() -> None:
    assert log_evidence([]) == 0
    assert log_evidence([[Span(Count(0, 90), Count(0, 900)), Span(Count(3, 3), Count())]]) == 0


def test_worse_rises_and_better_does_not() -> None:
    worse, better = Span(Count(9, 40), Count(1, 60)), Span(Count(1, 40), Count(9, 60))
    assert log_evidence([[worse] * 4]) > 3 * log_evidence([[worse]]) > 3
    assert log_evidence([[better] * 4]) < 0


def test_courses_come_together_as_their_mean() -> None:
    one, other = [Span(Count(9, 40), Count(1, 60))], [Span(Count(1, 40), Count(1, 40))]
    mean = (math.exp(log_evidence([one])) + math.exp(log_evidence([other]))) / 2
    assert log_evidence([one, other]) == pytest.approx(math.log(mean))


def test_an_alarm_is_rare_however_often_one_looks() -> None:
    """Of 200 courses of two builds that are as good, at most 5 % may ever reach 20: 10, and four deviations more."""
    chance, alarms = random.Random(11), 0
    for _ in range(200):
        course: list[Span] = []
        for _ in range(15):
            counts = [Count(sum(chance.random() < 0.1 for _ in range(20)), 20) for _ in range(2)]
            course.append(Span(*counts))
            if log_evidence([course]) >= math.log(20):
                alarms += 1
                break
    assert alarms <= 22
