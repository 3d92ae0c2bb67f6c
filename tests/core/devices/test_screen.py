"""What a simulated device's screen can do in each state, by hand."""

from __future__ import annotations

import datetime as dt

import pytest

from rampa.core.devices.screen import TRANSITIONS, Conditions, ScreenEvent, ScreenState
from rampa.core.errors import Conflict
from rampa.core.transitions import advance
from tests.refusals import refuses

EXPECTED = {
    ScreenState.HOME: {"look": "looking", "start": "playing", "restart": "looking"},
    ScreenState.LOOKING: {"find": "waiting", "nothing": "home"},
    ScreenState.WAITING: {"install": "installing", "look": "looking", "start": "playing", "restart": "looking"},
    ScreenState.INSTALLING: {"done": "home", "stop": "home"},
    ScreenState.PLAYING: {"end": "home", "crash": "crashed"},
    ScreenState.CRASHED: {"close": "home", "restart": "looking"},
}


@pytest.mark.parametrize("state", ScreenState)
@pytest.mark.parametrize("event", ScreenEvent)
def test_each_event_in_each_state(state: ScreenState, event: ScreenEvent) -> None:
    wanted = EXPECTED[state].get(event.value)
    if wanted is None:
        with pytest.raises(Conflict):
            advance(TRANSITIONS, state, event, "it")
    else:
        assert advance(TRANSITIONS, state, event, "it").value == wanted


def test_conditions_that_cannot_be() -> None:
    with refuses("screen.room"):
        Conditions(room=-1)
    with refuses("screen.clock"):
        Conditions(clock=dt.timedelta(days=99_999))
    assert Conditions(clock=dt.timedelta(days=-1)).now(dt.datetime(2026, 11, 29)) == dt.datetime(2026, 11, 28)
