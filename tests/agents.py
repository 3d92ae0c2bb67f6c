"""An agent without a machine: says what a test wants it to say, by the same calls as a real one."""

from __future__ import annotations

import uuid
from pathlib import Path

import sqlalchemy

from rampa.agent.identity import AgentBearer, AgentIdentity, enrol
from rampa.client import Client
from rampa.client.builds.parts import BuildParts
from rampa.client.connection import Connection
from rampa.core.content.select.selection import select
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import resolve
from rampa.db import AgentRow
from rampa.operations.agents.enrolment import make_code
from rampa.operations.base import Services, begin, service_actor
from rampa.operations.runs import assignment
from rampa.operations.sources import repository
from rampa.schema import agents as wire
from rampa.schema.builds import builds as builds_wire
from rampa.schema.sources import SourceIn
from tests.gits import peatlight
from tests.samples import DOCUMENT, add_key

TERMS = "lantern-export studio terms 2026"


def can(**more: object) -> wire.AbilitiesWire:
    return wire.AbilitiesWire(
        **{"cores": 4, "memory": 2**33, "disk": 2**36, "system": "Linux", "isolation": "sandbox", **more}
    )


KEYS: dict[str, AgentIdentity] = {}
"""By name: an agent that is started again has its key."""


def enrolled(client: Client, services: Services, name: str, instance: str = "") -> AgentBearer:
    """A start of an agent; enrolled where it was not."""
    near = Client(client.connection.address, connection=beside(client, None))
    with begin(services) as uow:
        known = uow.session.scalar(sqlalchemy.select(AgentRow.id).where(AgentRow.name == name))
    if known is None:
        KEYS[name] = enrol(near, name, make_code(services, service_actor("Iida"), name).code)
    return AgentBearer(near, KEYS[name], instance or uuid.uuid4().hex)


def beside(client: Client, bearer: AgentBearer | None) -> Connection:
    """Another caller of the same service, in this process or not."""
    transport = client.connection._http._transport
    return Connection(client.connection.address, bearer=bearer, transport=transport, patience=0)


class FakeAgent:
    """`name` is registered at once, unless it goes on as the `instance` that it was. `ask` gives work after the queue's own
    decision was taken."""

    def __init__(self, client: Client, services: Services, name: str, instance: str = "", **more: object) -> None:
        self.services, self.name = services, name
        self.bearer = enrolled(client, services, name, instance)
        self.client = Client(client.connection.address, connection=beside(client, self.bearer))
        self.instance = self.bearer.instance
        self.abilities = can(**more)
        self.holds: list[str] = []
        self.batch = 0
        if not instance:
            self.register()

    def register(self) -> None:
        self.client.agents.register(self.name, wire.RegisterIn(instance=self.instance, abilities=self.abilities))

    def ask(self) -> wire.WorkOut:
        assignment.assign(self.services)
        asked = wire.AskIn(instance=self.instance, abilities=self.abilities, holds=self.holds, wait=0)
        return self.client.agents.ask_for_work(self.name, asked)

    def work(self) -> wire.Work:
        """Takes what there is; fails the test when there is nothing."""
        found = self.ask().work
        assert found is not None
        self.holds.append(found.lease)
        self.batch = 0
        return found

    def step(self, work: wire.Work, position: int, state: str, said: str = "") -> bool:
        sent = wire.StepIn(position=position, state=state, said=said)
        return self.client.agents.report_step(self.name, work.lease, sent).stop

    def say(self, work: wire.Work, *lines: str, level: str = "", step: int = 0) -> None:
        self.batch += 1
        rows = [(10 * n, step, level, line) for n, line in enumerate(lines)]
        self.client.agents.send_log(self.name, work.lease, wire.LogIn(batch=self.batch, lines=rows))

    def end(self, work: wire.Work, result: str = "done", **more: object) -> None:
        self.client.agents.end_run(self.name, work.lease, wire.EndIn(result=result, **more))
        self.holds.remove(work.lease)

    def build(self, work: wire.Work, folder, state) -> builds_wire.Build:  # type: ignore[no-untyped-def]
        """Makes the run's build of a folder, as the steps from bundle to complete do."""
        profile = resolve(read_document(work.document.encode()), work.profile)
        asked = builds_wire.NewBuild(profile=work.profile, revision=work.revision, lease=work.lease)
        build = self.client.builds.open(work.title, asked)
        parts = BuildParts(
            self.client, work.title, build, profile, select(folder, profile.rules), state, lease=work.lease
        )
        bundle = parts.bundle(None)
        parts.sign(bundle)
        parts.send_content()
        return parts.complete(bundle, 1.0, tools={"lantern-export": "3.3.0"})


def with_repository(services: Services, client: Client, root: Path) -> FakeAgent:
    """Peatlight with its identity and a repository that was fetched, and an agent that waits."""
    add_key(client)
    client.titles.add(DOCUMENT)
    made = peatlight(root / "peatlight", DOCUMENT)
    client.sources.connect("peatlight", SourceIn(address=str(made.root), every=0))
    assert repository.fetch(services, "peatlight")
    return FakeAgent(client, services, "kiln-1")
