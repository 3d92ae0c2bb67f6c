"""Plans: what people write is what is followed, and what cannot be followed is said before anything grows."""

from __future__ import annotations

import datetime as dt

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.placement.plan import GrowthPlan, GrowthStep, check_plan, next_step, plan_text, read_plan, wait_for
from rampa.core.placement.share import ALL
from tests.refusals import refuses

USUAL = "1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days"


@st.composite
def plans(draw: st.DrawFn) -> GrowthPlan:
    shares = sorted(draw(st.sets(st.integers(1, ALL - 1), max_size=8)))
    minutes = sorted(draw(st.sets(st.integers(0, 90 * 24 * 60), min_size=len(shares) + 1, max_size=len(shares) + 1)))
    steps = zip([*shares, ALL], minutes, strict=True)
    made = tuple(GrowthStep(share, after * 60) for share, after in steps)
    return check_plan(GrowthPlan(made, draw(st.booleans())))


def test_as_people_write_it() -> None:
    steps = read_plan("1%,5 %  after 4 hours, 20% AFTER a day,all after 2 d").steps
    assert [(s.share, s.after) for s in steps] == [(10, 0), (50, 4 * 3600), (200, 86400), (ALL, 2 * 86400)]
    assert plan_text(read_plan(USUAL)) == USUAL
    careful = read_plan(USUAL + ",  Only while health is in  order")
    assert (careful.in_order, careful.steps) == (True, read_plan(USUAL).steps)
    assert plan_text(careful) == USUAL + ", only while health is in order"
    with refuses("plan.impossible", "'only while health is in order' is no step"):
        read_plan("only while health is in order")


@given(plans())
def test_what_is_written_is_read_again(plan: GrowthPlan) -> None:
    assert read_plan(plan_text(plan)) == plan


@given(plans())
def test_it_ends_and_takes_each_step_once(plan: GrowthPlan) -> None:
    share, spent, seen = 0, dt.timedelta(), []
    while (step := next_step(plan, share)) is not None:
        wait = wait_for(plan, share)
        assert wait is not None
        spent += wait
        assert spent.total_seconds() == step.after
        share = step.share
        seen.append(step)
    assert tuple(seen) == plan.steps
    assert wait_for(plan, ALL) is None


def test_a_rollout_that_is_further_already_waits_for_what_is_above() -> None:
    plan = read_plan(USUAL)
    assert wait_for(plan, 100) == dt.timedelta(hours=20)
    assert next_step(plan, 100) == GrowthStep(200, 86400)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("1 %, 5 % after 4 h", "it stops at 5 % and never ends"),
        ("5 %, 1 % after 4 h, all after 1 day", "1 % follows 5 %"),
        ("1 %, 5 % after 4 h, all after 2 h", "times rise from step to step"),
        ("1 %, 5 %, all", "times rise from step to step"),
        ("0 %, all after 1 h", "above 0"),
        ("all after 91 days", "within 90 days"),
        ("soon", "'soon' is no step"),
        ("all after 2 fortnights", "is no step"),
        ("1 %,, all after 1 h", "'' is no step"),
        ("", "'' is no step"),
        (", ".join(f"{n / 10} % after {n} min" for n in range(1, 31)) + ", all after 9 days", "1 to 30 steps"),
    ],
)
def test_what_cannot_be_followed(text: str, said: str) -> None:
    with refuses("plan.impossible", said, where="plan") as caught:
        read_plan(text)
    assert "Such as: 1 %, 5 % after 4 h" in caught.value.hint


def test_a_plan_of_nothing() -> None:
    with refuses("plan.impossible"):
        check_plan(GrowthPlan(()))
    with refuses("share.outside", where="plan"):
        read_plan("101 %, all after 1 h")
