"""The state machines, step by step, against tables written by hand."""

from __future__ import annotations

import itertools
from types import ModuleType

import pytest

from rampa.core.agent.life import AgentEvent, AgentState, possible_events, state_of
from rampa.core.build import life as build
from rampa.core.content.patch import life as difference
from rampa.core.placement import life as placement
from rampa.core.placement import schedule
from rampa.core.run import life as run
from rampa.core.store import check_life as check
from rampa.core.transitions import advance, possible, words
from rampa.core.version.code import next_code
from tests.refusals import refuses

EXPECTED = {
    build: {
        ("open", "complete"): "ready",
        ("open", "abandon"): "abandoned",
        ("ready", "place"): "ready",
        ("ready", "remove"): "removed",
    },
    run: {
        ("waiting", "take"): "working",
        ("waiting", "cancel"): "cancelled",
        ("waiting", "supersede"): "superseded",
        ("waiting", "fail"): "failed",
        ("working", "finish"): "done",
        ("working", "fail"): "failed",
        ("working", "lose"): "waiting",
        ("working", "cancel"): "stopping",
        ("stopping", "stop"): "cancelled",
        ("stopping", "lose"): "cancelled",
        ("stopping", "finish"): "done",
        ("stopping", "fail"): "cancelled",
        ("done", "repeat"): "done",
        ("failed", "repeat"): "failed",
        ("cancelled", "repeat"): "cancelled",
        ("superseded", "repeat"): "superseded",
    },
    placement: {
        ("placed", "grow"): "growing",
        ("placed", "finish"): "whole",
        ("growing", "grow"): "growing",
        ("growing", "finish"): "whole",
        ("growing", "hold"): "held",
        ("held", "go-on"): "growing",
        ("placed", "supersede"): "superseded",
        ("growing", "supersede"): "superseded",
        ("held", "supersede"): "superseded",
        ("whole", "supersede"): "superseded",
        ("placed", "withdraw"): "withdrawn",
        ("growing", "withdraw"): "withdrawn",
        ("held", "withdraw"): "withdrawn",
        ("whole", "withdraw"): "withdrawn",
    },
    difference: {
        ("waiting", "make"): "ready",
        ("waiting", "skip"): "skipped",
        ("ready", "ask"): "waiting",
        ("skipped", "ask"): "waiting",
    },
    schedule: {
        ("waiting", "place"): "done",
        ("waiting", "refuse"): "refused",
        ("waiting", "cancel"): "cancelled",
    },
    check: {("running", "finish"): "done", ("running", "cancel"): "cancelled"},
}
NAMES = {
    build: "Build",
    run: "Run",
    placement: "Placement",
    schedule: "Scheduled",
    difference: "Difference",
    check: "Check",
}


@pytest.mark.parametrize("machine", EXPECTED, ids=list(NAMES.values()))
def test_every_step(machine: ModuleType) -> None:
    states, events = (getattr(machine, NAMES[machine] + kind) for kind in ("State", "Event"))
    for state, event in itertools.product(states, events):
        after = EXPECTED[machine].get((state.value, event.value))
        if after is None:
            with refuses("state.conflict", f"it is {words(state)}: {words(event)} is not possible now"):
                advance(machine.TRANSITIONS, state, event, "it")
        else:
            assert advance(machine.TRANSITIONS, state, event, "it") == after
        assert (event in possible(machine.TRANSITIONS, state)) == (after is not None)


def test_a_conflict_says_what_is_possible_instead() -> None:
    with refuses("state.conflict") as caught:
        advance(run.TRANSITIONS, run.RunState.STOPPING, run.RunEvent.TAKE, "run 3")
    assert caught.value.hint == "From here it can: stop, lose, finish, fail."


@pytest.mark.parametrize(
    ("facts", "state", "events"),
    [
        ({}, "idle", {"pause", "remove"}),
        ({"busy": True}, "working", {"pause", "remove"}),
        ({"paused": True}, "paused", {"resume", "remove"}),
        ({"answers": False}, "lost", {"pause", "remove"}),
        ({"stopped": True, "paused": True}, "stopped", {"resume", "remove"}),
    ],
)
def test_how_an_agent_stands(facts: dict[str, bool], state: str, events: set[str]) -> None:
    facts = {"stopped": False, "answers": True, "paused": False, "busy": False} | facts
    assert state_of(**facts) == AgentState(state)
    assert possible_events(paused=facts["paused"]) == {AgentEvent(e) for e in events}


def test_version_codes_rise_to_the_limit() -> None:
    assert next_code(None, 10) == 1
    assert next_code(9, 10) == 10
    with refuses("version.exhausted", "above this platform's limit"):
        next_code(10, 10)
