"""A submission's states, walked with every event against what was written down by hand."""

from __future__ import annotations

import pytest

from rampa.core.submission.life import TRANSITIONS, WORDS, SubmissionEvent, SubmissionState
from rampa.core.transitions import advance
from tests.refusals import refuses

LIFE = """
sent        unpack unpacked      lose lost             withdraw withdrawn
unpacked    check checking       lose lost             withdraw withdrawn
checking    queue waiting        refuse refused        withdraw withdrawn
waiting     claim reviewing      withdraw withdrawn
reviewing   lapse waiting        ask question          refuse refused        pass passed    withdraw withdrawn
question    answer waiting       withdraw withdrawn
refused     appeal waiting       withdraw withdrawn
passed      refuse refused       go-part partly-live   go-live live          withdraw withdrawn
partly-live go-part partly-live  go-live live          withdraw withdrawn    replace replaced
live        withdraw withdrawn   replace replaced
replaced    restore live
lost
withdrawn
"""


def expected() -> dict[tuple[str, str], str]:
    out: dict[tuple[str, str], str] = {}
    for line in LIFE.strip().splitlines():
        state, *steps = line.split()
        out |= {(state, event): after for event, after in zip(steps[::2], steps[1::2], strict=True)}
    return out


def test_every_state_with_every_event() -> None:
    assert {line.split()[0] for line in LIFE.strip().splitlines()} == set(SubmissionState)
    wanted = expected()
    for state in SubmissionState:
        for event in SubmissionEvent:
            after = wanted.get((state.value, event.value))
            if after:
                assert advance(TRANSITIONS, state, event, "it") == after
            else:
                with refuses("state.conflict"):
                    advance(TRANSITIONS, state, event, "it")


@pytest.mark.parametrize("state", SubmissionState)
def test_each_state_has_words_for_people(state: SubmissionState) -> None:
    assert WORDS[state]
    assert "-" not in WORDS[state]
