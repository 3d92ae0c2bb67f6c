"""The state machines, step by step, against a table written by hand."""

from __future__ import annotations

import itertools

import pytest

from rampa.core.build import life as build
from rampa.core.errors import Conflict, Refused
from rampa.core.placement import life as placement
from rampa.core.run import life as run
from rampa.core.transitions import advance, possible
from rampa.core.version.code import next_code

EXPECTED = {
    build: {("open", "complete"): "ready", ("open", "abandon"): "abandoned", ("ready", "remove"): "removed"},
    run: {
        ("waiting", "be taken"): "working",
        ("waiting", "be cancelled"): "cancelled",
        ("waiting", "be superseded"): "superseded",
        ("waiting", "fail"): "failed",
        ("working", "finish"): "done",
        ("working", "fail"): "failed",
        ("working", "be lost"): "waiting",
        ("working", "be cancelled"): "stopping",
        ("stopping", "stop"): "cancelled",
        ("stopping", "be lost"): "cancelled",
        ("stopping", "finish"): "done",
        ("stopping", "fail"): "cancelled",
    },
    placement: {("live", "supersede"): "superseded", ("live", "withdraw"): "withdrawn"},
}


@pytest.mark.parametrize("machine", EXPECTED)
def test_every_step(machine) -> None:  # type: ignore[no-untyped-def]
    for state, event in itertools.product(machine.State, machine.Event):
        after = EXPECTED[machine].get((state.value, event.value))
        if after is None:
            with pytest.raises(Conflict):
                advance(machine.TRANSITIONS, state, event, "it")
        else:
            assert advance(machine.TRANSITIONS, state, event, "it") == after
        assert (event in possible(machine.TRANSITIONS, state)) == (after is not None)


def test_version_codes_rise_to_the_limit() -> None:
    assert next_code(None, 10) == 1
    assert next_code(9, 10) == 10
    with pytest.raises(Refused, match="above this platform's limit"):
        next_code(10, 10)
