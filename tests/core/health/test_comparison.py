"""What is worse, what is in order, and what cannot be told."""

from __future__ import annotations

import pytest

from rampa.core.health.comparison import ALL, Key, Observed, Part, Trouble, Verdict, compare
from rampa.core.health.odds import Span
from rampa.core.health.sequential import Count

VISOR = Part("class", "visor-2")
SESSION, INSTALL = Trouble.SESSION, Trouble.INSTALL
Seen = dict[Key, list[Span]]


def seen(new: tuple[int, int], old: tuple[int, int], part: Part = ALL, trouble: Trouble = SESSION) -> Seen:
    """(bad, total) of each build, in one span of first observations."""
    return {Key(part, trouble, 1): [Span(Count(*new), Count(*old))]}


@pytest.mark.parametrize(
    ("observed", "verdict", "said"),
    [
        ({}, Verdict.UNSURE, "no session was reported yet"),
        (seen((0, 50), (0, 0)), Verdict.UNSURE, "50 sessions, and none of the build before in these hours"),
        (seen((0, 50), (0, 900)), Verdict.UNSURE, "50 sessions beside 900 of the build before"),
        # A few crashes among few sessions are no proof, however large the share.
        (seen((1, 3), (0, 90)), Verdict.UNSURE, "3 sessions beside 90"),
        (
            seen((40, 200), (3, 2000)),
            Verdict.WORSE,
            "20.0 % of 200 sessions crash, where the build before has 0.1 % of 2,000",
        ),
        (seen((20, 6000), (25, 9000)), Verdict.IN_ORDER, "0.3 % of 6,000 sessions crash"),
        (
            seen((9, 6000), (9, 6000)) | seen((60, 300), (1, 900), ALL, INSTALL),
            Verdict.WORSE,
            "20.0 % of 300 installs fail",
        ),
        # Better is in order, too.
        (seen((1, 9000), (400, 9000)), Verdict.IN_ORDER, "0.0 % of 9,000 sessions crash"),
    ],
)
def test_what_it_says(observed: Observed, verdict: Verdict, said: str) -> None:
    found = compare(observed)
    assert (found.verdict, said in found.said) == (verdict, True), found.said


def test_one_class_is_found_among_all_that_are_well() -> None:
    """Few devices, and most of theirs crash: over all of them it does not show yet."""
    found = compare(seen((24, 1200), (12, 1200)) | seen((14, 40), (0, 90), VISOR))
    assert found.verdict == Verdict.WORSE
    assert found.said == "35.0 % of 40 sessions crash on class visor-2, where the build before has 0.0 % of 90"
    assert {(row.part, row.verdict) for row in found.compared} == {(ALL, Verdict.UNSURE), (VISOR, Verdict.WORSE)}


def test_a_hundred_classes_are_not_a_hundred_chances_to_be_wrong() -> None:
    observed: Seen = {}
    for n in range(1, 101):
        observed |= seen((0, n), (0, n), Part("class", f"form-{n}"))
    asked = {row.part.name for row in compare(observed).compared}
    assert asked == {f"form-{n}" for n in range(85, 101)}


def test_the_third_session_counts_and_the_fourth_does_not() -> None:
    span = [Span(Count(40, 60), Count(1, 90))]
    assert compare({Key(ALL, SESSION, 3): span}).verdict == Verdict.WORSE
    assert compare({Key(ALL, SESSION, 4): span}).verdict == Verdict.UNSURE
