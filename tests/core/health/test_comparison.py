"""What is worse, what is in order, and what cannot be told."""

from __future__ import annotations

import pytest

from rampa.core.health.comparison import ALL, Counts, Part, Trouble, Verdict, compare
from rampa.core.health.sequential import Count

VISOR = Part("class", "visor-2")
SESSIONS, LAUNCHES, INSTALLS = ((ALL, trouble) for trouble in (Trouble.SESSION, Trouble.LAUNCH, Trouble.INSTALL))


@pytest.mark.parametrize(
    ("new", "old", "verdict", "said"),
    [
        ({}, {}, Verdict.UNSURE, "no session was reported yet"),
        ({SESSIONS: Count(0, 50)}, {}, Verdict.UNSURE, "50 sessions, and none of the build before in these hours"),
        (
            {SESSIONS: Count(0, 50)},
            {SESSIONS: Count(0, 900)},
            Verdict.UNSURE,
            "50 sessions beside 900 of the build before: too little to tell",
        ),
        # A few crashes among few sessions are no proof, however large the share.
        ({SESSIONS: Count(1, 3)}, {SESSIONS: Count(0, 90)}, Verdict.UNSURE, "3 sessions beside 90"),
        ({SESSIONS: Count(40, 200)}, {SESSIONS: Count(3, 2000)}, Verdict.WORSE, "20.0 % of 200 sessions crash, where"),
        ({SESSIONS: Count(20, 6000)}, {SESSIONS: Count(25, 9000)}, Verdict.IN_ORDER, "0.3 % of 6,000 sessions crash"),
        (
            {SESSIONS: Count(9, 6000), INSTALLS: Count(60, 300)},
            {SESSIONS: Count(9, 6000), INSTALLS: Count(1, 900)},
            Verdict.WORSE,
            "20.0 % of 300 installs fail",
        ),
        # Better is in order, too.
        ({SESSIONS: Count(1, 9000)}, {SESSIONS: Count(400, 9000)}, Verdict.IN_ORDER, "0.0 % of 9,000 sessions crash"),
    ],
)
def test_what_it_says(new: Counts, old: Counts, verdict: Verdict, said: str) -> None:
    found = compare(new, old)
    assert (found.verdict, said in found.said) == (verdict, True), found.said


def test_one_class_is_found_among_all_that_are_well() -> None:
    """Few devices, and most of theirs crash: over all of them it does not show yet."""
    new = {SESSIONS: Count(32, 1200), (VISOR, Trouble.SESSION): Count(28, 40)}
    old = {SESSIONS: Count(12, 1200), (VISOR, Trouble.SESSION): Count(0, 90)}
    found = compare(new, old)
    assert found.verdict == Verdict.WORSE
    assert found.said == "70.0 % of 40 sessions crash on class visor-2, where the build before has 0.0 % of 90"
    assert {(row.part, row.verdict) for row in found.compared} == {(ALL, Verdict.UNSURE), (VISOR, Verdict.WORSE)}


def test_a_hundred_classes_are_not_a_hundred_chances_to_be_wrong() -> None:
    parts = [Part("class", f"form-{n}") for n in range(100)]
    counts = {(part, Trouble.SESSION): Count(0, n) for n, part in enumerate(parts, 1)}
    asked = {row.part.name for row in compare(counts, counts).compared}
    assert asked == {f"form-{n}" for n in range(84, 100)}
