"""A piece of feedback's life: every state with every event, against a table written by hand."""

from __future__ import annotations

import pytest

from rampa.core.testers.feedback import TRANSITIONS, FeedbackEvent, FeedbackState
from rampa.core.transitions import advance
from tests.refusals import refuses

EXPECTED = {
    "open": {"answer": "answered", "reply": "open", "close": "closed"},
    "answered": {"answer": "answered", "reply": "open", "close": "closed"},
    "closed": {"reopen": "open"},
}


@pytest.mark.parametrize("state", FeedbackState)
@pytest.mark.parametrize("event", FeedbackEvent)
def test_every_state_with_every_event(state: FeedbackState, event: FeedbackEvent) -> None:
    after = EXPECTED[state].get(event)
    if after is None:
        with refuses("state.conflict"):
            advance(TRANSITIONS, state, event, "it")
    else:
        assert advance(TRANSITIONS, state, event, "it") == after
