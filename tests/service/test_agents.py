"""Agents over HTTP: registered, replaced, silent, paused, forgotten; what a stolen token of one may not do."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

import pytest

from rampa.client import Client
from rampa.operations.agents import agents
from rampa.operations.runs import assignment
from rampa.operations.sources import repository
from rampa.schema import agents as wire
from rampa.schema.common import Role
from rampa.schema.runs import NewRuns
from rampa.schema.sources import SourceIn
from tests.agents import FakeAgent
from tests.conftest import World
from tests.gits import peatlight
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key

TITLE = "peatlight"


@pytest.fixture
def agent(world: World, client: Client, tmp_path) -> FakeAgent:  # type: ignore[no-untyped-def]
    add_key(client)
    client.titles.add(DOCUMENT)
    made = peatlight(tmp_path / "peatlight", DOCUMENT)
    client.sources.connect(TITLE, SourceIn(address=str(made.root), every=0))
    assert repository.fetch(world.services, TITLE)
    return FakeAgent(client, world.services, "kiln-1")


def later(world: World, seconds: float) -> World:
    now = world.services.now() + dt.timedelta(seconds=seconds)
    return World(replace(world.services, now=lambda: now), world.app, world.owner_password)


def start(client: Client) -> int:
    return client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))[0].number


def test_an_agent_that_is_there_is_not_forgotten(world: World, client: Client, agent: FakeAgent) -> None:
    with refuses("agent.there", "kiln-1 is there"):
        client.agents.remove("kiln-1")
    start(client)
    agent.work()
    gone = later(world, 120)
    with refuses("agent.busy", "has 1 run"):
        agents.remove_agent(gone.services, gone.actor(), "kiln-1")
    assignment.look_for_lost(gone.services)
    agents.remove_agent(gone.services, gone.actor(), "kiln-1")
    assert client.agents.all() == []
    with refuses("agent.unknown"):
        client.agents.get("kiln-1")
    acts = [e.act for e in client.events.all()]
    assert "agent.remove" in acts


def test_a_lease_is_as_long_as_the_service_says(world: World, client: Client, agent: FakeAgent) -> None:
    number = start(client)
    agent.work()
    soon = replace(later(world, 20).services, lease=dt.timedelta(seconds=5))
    assert assignment.look_for_lost(later(world, 20).services) == 0
    assert assignment.look_for_lost(soon) == 1
    assert client.runs.get(TITLE, number).state == "waiting"


def test_one_that_was_started_again_takes_the_name(world: World, client: Client, agent: FakeAgent) -> None:
    start(client)
    old = agent.instance
    again = FakeAgent(client, world.services, "kiln-1")
    assert again.instance != old
    with refuses("agent.replaced"):
        agent.ask()
    assert again.work().title == TITLE


def test_a_lease_of_somebody_else_opens_nothing(world: World, client: Client, agent: FakeAgent) -> None:
    start(client)
    work = agent.work()
    other = FakeAgent(client, world.services, "loft-2")
    with refuses("lease.lost"):
        other.client.agents.report_step("loft-2", work.lease, wire.StepIn(position=0, state="working", said=""))
    with refuses("lease.lost"):
        other.client.agents.end_run("loft-2", "0" * 32, wire.EndIn(result="done"))
    assert client.runs.get(TITLE, 1).state == "working"


def test_a_token_of_an_agent_works_and_does_nothing_else(world: World, client: Client, agent: FakeAgent) -> None:
    with world.client(Role.AGENT) as stolen:
        assert stolen.titles.get(TITLE).slug == TITLE
        for attack in (
            lambda: stolen.titles.revise(TITLE, DOCUMENT, "Mine now.", 1),
            lambda: stolen.runs.start(TITLE, NewRuns(profiles=["linux-release"])),
            lambda: stolen.agents.remove("kiln-1"),
            lambda: stolen.signing.export("quillback-2026", "a long password"),
            lambda: stolen.variables.all(),
            lambda: stolen.channels.place(TITLE, "public", 1, "1"),
        ):
            with refuses("role.denied"):
                attack()
