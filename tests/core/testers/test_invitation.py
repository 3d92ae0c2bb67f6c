"""An invitation's life: every state with every event, against a table written by hand."""

from __future__ import annotations

import pytest

from rampa.core.testers.invitation import TRANSITIONS, InvitationEvent, InvitationState
from rampa.core.transitions import advance
from tests.refusals import refuses

EXPECTED = {
    "open": {"accept": "accepted", "decline": "declined", "withdraw": "withdrawn", "resend": "open"},
    "accepted": {},
    "declined": {"resend": "open"},
    "withdrawn": {"resend": "open"},
}


@pytest.mark.parametrize("state", InvitationState)
@pytest.mark.parametrize("event", InvitationEvent)
def test_every_state_with_every_event(state: InvitationState, event: InvitationEvent) -> None:
    after = EXPECTED[state].get(event)
    if after is None:
        with refuses("state.conflict"):
            advance(TRANSITIONS, state, event, "the invitation")
    else:
        assert advance(TRANSITIONS, state, event, "the invitation") == after
