"""Gates of a channel before a real build: closed, opened by what opens them, waived by an owner with a reason that stays."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.placement.gates import GateKind
from rampa.schema.channels import ChannelChange, GateIn, GatesIn
from rampa.schema.common import Role
from rampa.schema.devices import DeviceReport, NewDevice
from rampa.schema.people import PersonChange
from tests.clock import Clock
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder

TITLE = "peatlight"
APPROVALS = GateIn(kind=GateKind.APPROVED, count=1)


@pytest.fixture
def ready(client: Client, tmp_path: Path) -> Client:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "source", 300_000), tmp_path / "state")
    return client


def gated(client: Client, *gates: GateIn, on: str = "early") -> None:
    client.channels.set_gates(TITLE, on, GatesIn(gates=list(gates)))


def states(client: Client, number: int = 1, on: str = "early") -> dict[str, str]:
    return {gate.gate: gate.state for gate in client.channels.gates(TITLE, on, number)}


def place(client: Client, number: int = 1, on: str = "early") -> None:
    seen = client.channels.preview(TITLE, on, number)
    client.channels.place(TITLE, on, number, seen.etag)


def test_a_closed_gate_says_what_who_and_where(world: World, ready: Client) -> None:
    with world.client(Role.ENGINEER):
        pass  # somebody else who may
    gated(ready, APPROVALS, GateIn(kind=GateKind.STOOD, channel="testers", hours=2))
    seen = ready.channels.preview(TITLE, "early", 1)
    assert not seen.possible
    assert [(g.gate, g.state, g.missing, g.who) for g in seen.gates] == [
        ("approvals", "closed", "0 of 1", "an owner or engineer who does not place it"),
        ("stood-on:testers", "closed", "it was never live on testers", "an engineer"),
    ]
    with refuses("gate.closed", "approved by 1 other person: 0 of 1", where="approvals"):
        place(ready)
    assert ready.channels.get(TITLE, "early").live == []


def test_a_second_person_opens_it_and_no_other(world: World, ready: Client) -> None:
    gated(ready, APPROVALS)
    # One's own word does not count for oneself, and does for another.
    ready.channels.approve(TITLE, "early", 1)
    ready.channels.approve(TITLE, "early", 1)
    assert states(ready) == {"approvals": "closed"}
    engineer = world.client(Role.ENGINEER)
    assert states(engineer) == {"approvals": "passed"}
    engineer.channels.approve(TITLE, "early", 1)
    assert states(ready) == {"approvals": "passed"}
    # Of people who still may.
    person = next(p for p in ready.people.all() if p.role == Role.ENGINEER)
    for change, back in (
        (PersonChange(disabled=True), PersonChange(disabled=False)),
        (PersonChange(role=Role.TESTER), PersonChange(role=Role.ENGINEER)),
    ):
        ready.people.change(person.id, change)
        assert states(ready) == {"approvals": "closed"}
        ready.people.change(person.id, back)
    # Another channel and another build have their own.
    gated(ready, APPROVALS, on="testers")
    assert states(ready, on="testers") == {"approvals": "closed"}
    place(ready)
    assert [e.act for e in ready.events.all(title=TITLE)].count("build.approve") == 2


def test_time_opens_it(world: World, ready: Client) -> None:
    clock = Clock(world)
    clock.now = dt.datetime.now(dt.UTC)
    gated(ready, GateIn(kind=GateKind.STOOD, channel="testers", hours=2))
    place(ready, on="testers")
    clock.pass_(hours=1)
    (gate,) = ready.channels.gates(TITLE, "early", 1)
    assert (gate.state, gate.missing, gate.who) == ("closed", "1 h 0 min are left", "nobody")
    # Renamed meanwhile, it is the same channel; withdrawn meanwhile, its time stands still.
    ready.channels.change(TITLE, "testers", ChannelChange(name="friends"))
    (live,) = ready.channels.get(TITLE, "friends").live
    ready.rollouts.withdraw(TITLE, "friends", live.number)
    clock.pass_(hours=9)
    assert states(ready) == {"stood-on:testers": "closed"}
    place(ready, on="friends")
    clock.pass_(hours=1)
    assert states(ready) == {"stood-on:testers": "passed"}
    place(ready)


def test_the_identity_that_the_storefront_knows(ready: Client) -> None:
    gated(ready, GateIn(kind=GateKind.BOUND))
    assert states(ready) == {"bound-signature": "closed"}
    place(ready, on="studio")
    assert states(ready) == {"bound-signature": "passed"}


def test_what_the_median_device_downloads(ready: Client, tmp_path: Path) -> None:
    place(ready)
    change_folder(tmp_path / "source")
    build(ready, tmp_path / "source", tmp_path / "state")
    gated(ready, GateIn(kind=GateKind.UPDATE, size=1))
    assert states(ready, 2) == {"update-cost": "passed"}, "no device has a build: nothing is downloaded anew"
    for n in range(3):
        ready.devices.register(TITLE, NewDevice(name=f"desk-{n}", channel="early", platform="linux"))
        ready.devices.report(TITLE, f"desk-{n}", DeviceReport(build=1, downloaded=5))
    (gate,) = ready.channels.gates(TITLE, "early", 2)
    cost = ready.channels.preview(TITLE, "early", 2).update
    assert cost is not None
    assert (gate.state, gate.missing) == ("closed", f"it downloads {cost.download / 1e6:,.1f} MB")
    gated(ready, GateIn(kind=GateKind.UPDATE, size=cost.download))
    assert states(ready, 2) == {"update-cost": "passed"}


def test_an_owner_waives_one_and_it_is_seen_for_ever(world: World, ready: Client) -> None:
    gated(ready, GateIn(kind=GateKind.SIGN_OFFS, count=2), APPROVALS)
    for act in (
        lambda c: c.channels.waive(TITLE, "early", 1, "play-sign-offs", "a long enough reason"),
        lambda c: gated(c),
    ):
        with refuses("role.denied"):
            act(world.client(Role.ENGINEER))
    with refuses("gate.reason"):
        ready.channels.waive(TITLE, "early", 1, "play-sign-offs", "  ok  ")
    with refuses("gate.unknown", where="gate"):
        ready.channels.waive(TITLE, "early", 1, "clean-checks", "a long enough reason")
    why = "The fair begins tonight; Kaisa played it."
    found = ready.channels.waive(TITLE, "early", 1, "play-sign-offs", why)
    assert [(g.gate, g.state, g.waived and g.waived.reason) for g in found] == [
        ("play-sign-offs", "waived", why),
        ("approvals", "closed", None),
    ]
    with refuses("gate.waived"):
        ready.channels.waive(TITLE, "early", 1, "play-sign-offs", why)
    ready.channels.waive(TITLE, "early", 1, "approvals", "Nobody else is here.")
    place(ready)
    gated(ready)
    (placed,) = ready.channels.get(TITLE, "early").history
    assert [w.gate for w in placed.waived] == ["play-sign-offs", "approvals"]
    assert [e.detail["reason"] for e in ready.events.all(act="gate.waive")] == ["Nobody else is here.", why]


def test_who_looked_before_the_gates_changed_looks_again(ready: Client) -> None:
    seen = ready.channels.preview(TITLE, "early", 1)
    gated(ready, GateIn(kind=GateKind.CLEAN))
    with refuses("channel.moved"):
        ready.channels.place(TITLE, "early", 1, seen.etag)


def test_clean_means_no_warning(ready: Client) -> None:
    gated(ready, GateIn(kind=GateKind.CLEAN))
    seen = ready.channels.preview(TITLE, "early", 1)
    warned = any(f.severity == "warning" for f in seen.findings)
    assert states(ready) == {"clean-checks": "closed" if warned else "passed"}


def test_a_table_that_nobody_can_pass(ready: Client) -> None:
    with refuses("gate.impossible"):
        gated(ready, GateIn(kind=GateKind.APPROVED, count=0))
    with refuses("gate.twice"):
        gated(ready, APPROVALS, APPROVALS)
    with refuses("channel.unknown"):
        gated(ready, GateIn(kind=GateKind.STOOD, channel="nowhere", hours=1))
    ready.channels.set_gates(TITLE, "testers", GatesIn(gates=[GateIn(kind=GateKind.STOOD, channel="early")]))
    with refuses("gate.impossible", "early waits for testers, which waits for early: no build gets to any of them"):
        gated(ready, GateIn(kind=GateKind.STOOD, channel="testers"))
    assert ready.channels.get(TITLE, "early").gates == []


def test_more_approvals_than_there_are_people(world: World, ready: Client) -> None:
    gated(ready, GateIn(kind=GateKind.APPROVED, count=2))
    (gate,) = ready.channels.gates(TITLE, "early", 1)
    assert (gate.missing, gate.who) == ("0 of 2, and nobody else may", "an owner")
    with world.client(Role.ENGINEER) as engineer:
        engineer.channels.approve(TITLE, "early", 1)
    (gate,) = ready.channels.gates(TITLE, "early", 1)
    assert (gate.missing, gate.where) == (
        "1 of 2: Engineer, and only 1 other person may", "rampa person invite, or rampa channel gates"
    )  # fmt: skip


def test_a_budget_closes_its_gate_and_names_what_grew(client: Client, tmp_path: Path) -> None:
    """A finding for everybody, and a blocker where a channel asks for it."""
    add_key(client)
    import_title(client, DOCUMENT.replace("[version]", '[budgets]\ndepots = { base = "470 kB" }\n\n[version]', 1))
    folder = make_folder(tmp_path / "source", 300_000)
    build(client, folder, tmp_path / "state")
    gated(client, GateIn(kind=GateKind.BUDGETS))
    assert states(client) == {"size-budgets": "passed"}
    place(client)
    change_folder(folder)
    build(client, folder, tmp_path / "state")
    seen = client.channels.preview(TITLE, "early", 2)
    (found,) = [f for f in seen.findings if f.code == "budget.depot"]
    assert (found.severity, found.where) == ("warning", "base")
    assert (
        "the depot base weighs 0.6 MB, and its budget is 0.5 MB; since peatlight#1 grew data/ +0.1 MB" in found.message
    )
    assert not seen.possible
    with refuses("gate.closed", "no depot and no folder is heavier than its budget"):
        place(client, 2)
    gated(client)
    place(client, 2)
