"""Agents over HTTP: registered, replaced, silent, paused, forgotten; what a stolen token of one may not do."""

from __future__ import annotations

import base64
import datetime as dt
from dataclasses import replace
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import resolve
from rampa.core.signing import identity
from rampa.operations.base import begin
from rampa.operations.runs import assignment
from rampa.operations.versions import versions
from rampa.operations.versions.versions import WantedCode
from rampa.schema.common import Role
from rampa.schema.runs import NewRuns
from rampa.schema.signing.identities import NewKey, UnlockIn
from rampa.schema.sources import StepVariablesIn
from tests.agents import FakeAgent, with_repository
from tests.conftest import World
from tests.packages import make_identity
from tests.refusals import refuses
from tests.samples import DOCUMENT

TITLE = "peatlight"


@pytest.fixture
def agent(world: World, client: Client, tmp_path: Path) -> FakeAgent:
    return with_repository(world.services, client, tmp_path)


def later(world: World, seconds: float) -> World:
    now = world.services.now() + dt.timedelta(seconds=seconds)
    return World(replace(world.services, now=lambda: now), world.app, world.owner_password)


def start(client: Client) -> int:
    return client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))[0].number


def test_a_removed_agent_is_nobody_at_once(world: World, client: Client, agent: FakeAgent) -> None:
    start(client)
    work = agent.work()
    client.agents.remove("kiln-1")
    for call in (agent.ask, lambda: agent.step(work, 0, "working"), agent.register):
        with refuses("agent.proof", "not the one that was enrolled"):
            call()
    assert assignment.look_for_lost(world.services) == 1
    assert client.runs.get(TITLE, 1).state == "waiting"
    assert client.agents.all() == []
    with refuses("agent.unknown"):
        client.agents.get("kiln-1")
    assert "agent.remove" in [e.act for e in client.events.all()]


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


def test_an_identity_is_unlocked_for_the_run_that_signs_with_it(client: Client, agent: FakeAgent) -> None:
    made = identity.to_pkcs12(make_identity("locked-2026"), "locked-2026", "a password")
    key = NewKey(name="locked-2026", pkcs12=base64.b64encode(made).decode(), password="a password")
    client.signing.add(key.model_copy(update={"passphrase": "night shift 1907"}))
    number = start(client)
    asked = UnlockIn(passphrase="night shift 1907", title=TITLE, run=number)
    with refuses("unlock.run", "does not sign with locked-2026"):
        client.signing.unlock("locked-2026", asked)
    client.runs.cancel(TITLE, number)
    with refuses("unlock.run", "has ended"):
        client.signing.unlock("locked-2026", asked)


def test_too_few_commits_for_a_first_code_are_said(world: World, client: Client, agent: FakeAgent) -> None:
    document = DOCUMENT.replace('name = "1.4.0"', 'name = "1.4.0"\ncode = "commits"\nfirst_code = 50')
    client.titles.revise(TITLE, document, "Codes by commits.", 1)
    with refuses("run.blocked", "1 commit is below the first code 50"):
        start(client)
    profile = resolve(read_document(document.encode()), "linux-release")
    with begin(world.services) as uow:
        with refuses("version.first"):
            versions.next_for(uow, profile, WantedCode("1.4.0", 49))
        assert versions.next_for(uow, profile, WantedCode("1.4.0", 50)) == 50


def test_a_run_goes_to_an_agent_without_a_sandbox_only_where_the_owner_lets_it(
    world: World, client: Client, agent: FakeAgent
) -> None:
    client.agents.change("kiln-1", paused=True)
    bare = FakeAgent(client, world.services, "bank-4", isolation="user")
    number = start(client)
    assert bare.ask().work is None
    assert "Paused: kiln-1" in client.runs.get(TITLE, number).waits_for
    client.agents.remove("kiln-1")
    assert bare.ask().work is None
    assert "bank-4 comes nearest: it has no sandbox" in client.runs.get(TITLE, number).waits_for
    with world.client(Role.ENGINEER) as engineer, refuses("role.denied", "may not say whether runs need a sandbox"):
        engineer.titles.need_sandbox(TITLE, needed=False)
    assert not client.titles.need_sandbox(TITLE, needed=False).sandbox_needed
    assert bare.work().run == number
    assert "title.expose" in [e.act for e in client.events.all()]
    assert client.titles.need_sandbox(TITLE, needed=True).sandbox_needed


def test_a_run_brings_the_secrets_that_its_steps_name_and_no_other(client: Client, agent: FakeAgent) -> None:
    named = DOCUMENT + '\n[steps.count]\ncommand = ["true"]\nsecrets = ["TOKEN"]\n'
    named = named.replace(
        'launch.entry = "bin/peatlight"\n',
        'launch.entry = "bin/peatlight"\ntoolchain.variables = "desk"\ntoolchain.steps = ["count", "collect", "bundle"]\n',
        1,
    )
    client.titles.revise(TITLE, named, "It counts.", 1)
    client.variables.put("desk", StepVariablesIn(secrets={"OTHER": "not for this"}))
    with refuses("run.blocked", "the step count wants the secret TOKEN, and it is not there"):
        start(client)
    client.variables.put("desk", StepVariablesIn(secrets={"TOKEN": "lantern-4f9c"}))
    assert client.runs.plan(TITLE, NewRuns(profiles=["linux-release"]))[0].secrets == ["TOKEN"]
    start(client)
    work = agent.work()
    assert work.secrets == {"TOKEN": "lantern-4f9c"}
    assert [s.secrets for s in work.steps if s.name in ("count", "bundle")] == [("TOKEN",), ()]


def test_what_an_agent_says_of_its_machine_is_what_is_shown(world: World, client: Client) -> None:
    """All of it: what got lost on the way would be a promise that nobody reads, or one that nobody keeps."""
    agent = FakeAgent(
        client, world.services, "bank-4", platforms=["linux"], cores=3, memory=5, isolation="user", kernel_limits=True
    )
    assert client.agents.get("bank-4").abilities == agent.abilities
    assert agent.abilities.kernel_limits
