"""Gates by example: what passes, and what a closed one says; tables that contradict themselves."""

from __future__ import annotations

import datetime as dt
import statistics

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.placement.gates import BuildFacts, Gate, GateKind, check_gates, check_ways, look, weighted_median
from tests.refusals import refuses

HOUR = dt.timedelta(hours=1)
STOOD = Gate(GateKind.STOOD, channel="testers", hours=48)
CASES: list[tuple[Gate, BuildFacts, str]] = [
    (Gate(GateKind.CLEAN), BuildFacts(), ""),
    (Gate(GateKind.CLEAN), BuildFacts(warnings=("a path is long", "b")), "2 findings: a path is long"),
    (Gate(GateKind.BOUND), BuildFacts(bound=True), ""),
    (Gate(GateKind.BOUND), BuildFacts(bound=None), "knows no identity yet"),
    (Gate(GateKind.BOUND), BuildFacts(bound=False), "another identity"),
    (STOOD, BuildFacts(stood={"testers": 48 * HOUR}), ""),
    (STOOD, BuildFacts(stood={"testers": 47.5 * HOUR}), "30 minutes are left"),
    (STOOD, BuildFacts(stood={"testers": 1.5 * HOUR}), "46 h 30 min are left"),
    (STOOD, BuildFacts(stood={"testers": 48 * HOUR - dt.timedelta(seconds=1)}), "1 minute is left"),
    (STOOD, BuildFacts(stood={"studio": 99 * HOUR}), "never live on testers"),
    (
        STOOD,
        BuildFacts(stood={"testers": 99 * HOUR}, worse={"testers": "9 % crash"}),
        "worse there than the build before: 9 % crash",
    ),
    (STOOD, BuildFacts(stood={"testers": 99 * HOUR}, worse={"studio": "9 % crash"}), ""),
    (Gate(GateKind.STOOD, channel="testers"), BuildFacts(stood={"testers": dt.timedelta()}), ""),
    (Gate(GateKind.APPROVED, count=2), BuildFacts(approved_by=("Aino", "Oskari")), ""),
    (Gate(GateKind.APPROVED, count=2), BuildFacts(approved_by=("Aino",)), "1 of 2: Aino"),
    (Gate(GateKind.APPROVED, count=1), BuildFacts(), "0 of 1"),
    (Gate(GateKind.UPDATE, size=5_000_000), BuildFacts(update=5_000_000), ""),
    (Gate(GateKind.UPDATE, size=5_000_000), BuildFacts(update=5_200_000), "it downloads 5.2 MB"),
    (Gate(GateKind.UPDATE, size=1), BuildFacts(update=None), ""),
    (Gate(GateKind.BUDGETS), BuildFacts(), ""),
    (
        Gate(GateKind.BUDGETS),
        BuildFacts(over=("the depot base weighs 2 MB", "b")),
        "the depot base weighs 2 MB, and 1 more",
    ),
    (Gate(GateKind.SIGN_OFFS, count=1), BuildFacts(checklists=("night",), signed=("Kaisa",)), ""),
    (Gate(GateKind.SIGN_OFFS, count=3), BuildFacts(checklists=("night",), signed=("Kaisa",)), "1 of 3: Kaisa"),
    (Gate(GateKind.SIGN_OFFS, count=1), BuildFacts(), "no checklist is for this platform and purpose"),
    (
        Gate(GateKind.SIGN_OFFS, count=1),
        BuildFacts(checklists=("night",), signed=("Kaisa", "Onni"), failed={"fog": ("Vendla",), "thaw": ("Vendla",)}),
        "fog failed for Vendla, and 1 more",
    ),
    (Gate(GateKind.REVIEWED), BuildFacts(reviewed="passed", review_passed=True), ""),
    (Gate(GateKind.REVIEWED), BuildFacts(reviewed="refused"), "it is refused"),
    (Gate(GateKind.REVIEWED), BuildFacts(), "it is not before them yet"),
]


@pytest.mark.parametrize(("gate", "facts", "missing"), CASES)
def test_by_example(gate: Gate, facts: BuildFacts, missing: str) -> None:
    seen = look(gate, facts)
    assert (seen.passed, bool(seen.said)) == (not missing, True)
    assert missing in seen.missing
    # A closed gate says what, who and where; an open one nothing of it.
    assert bool(seen.who) == bool(seen.where) == bool(seen.missing) == bool(missing)


def test_every_kind_has_its_look() -> None:
    assert {gate.kind for gate, _, _ in CASES} == set(GateKind)


@pytest.mark.parametrize(
    ("gates", "code"),
    [
        ((Gate(GateKind.CLEAN), Gate(GateKind.CLEAN)), "gate.twice"),
        ((STOOD, Gate(GateKind.STOOD, channel="testers", hours=1)), "gate.twice"),
        ((Gate(GateKind.APPROVED),), "gate.impossible"),
        ((Gate(GateKind.APPROVED, count=21),), "gate.impossible"),
        ((Gate(GateKind.SIGN_OFFS, count=0),), "gate.impossible"),
        ((Gate(GateKind.UPDATE),), "gate.impossible"),
        ((Gate(GateKind.STOOD),), "gate.impossible"),
        ((Gate(GateKind.STOOD, channel="public", hours=1),), "gate.impossible"),
        ((Gate(GateKind.STOOD, channel="testers", hours=24 * 91),), "gate.impossible"),
    ],
)
def test_a_table_that_nobody_can_pass(gates: tuple[Gate, ...], code: str) -> None:
    with refuses(code):
        check_gates(gates, "public")


def test_channels_that_wait_for_one_another() -> None:
    def stood(channel: str) -> tuple[Gate, ...]:
        return (Gate(GateKind.STOOD, channel=channel),)

    check_ways({"public": (*stood("testers"), *stood("early")), "early": stood("testers"), "testers": stood("studio")})
    with refuses("gate.impossible", "public waits for early, which waits for testers, which waits for public"):
        check_ways({"public": stood("early"), "early": stood("testers"), "testers": stood("public")})


def test_one_stand_for_each_channel_is_a_table() -> None:
    check_gates((STOOD, Gate(GateKind.STOOD, channel="studio", hours=0), Gate(GateKind.CLEAN)), "public")


@given(st.dictionaries(st.integers(0, 50), st.integers(1, 9), max_size=9))
def test_the_median_is_that_of_the_devices(costs: dict[int, int]) -> None:
    every = [cost for cost, count in costs.items() for _ in range(count)]
    assert weighted_median(costs) == (statistics.median_low(every) if every else None)
