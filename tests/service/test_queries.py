"""What an answer costs: a list or a page takes a handful of queries, and no more when there is more to list."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from flask import Flask
from sqlalchemy import event

from rampa.client import Client
from rampa.operations.content import visibility
from rampa.operations.sources import repository
from rampa.schema.common import Role
from rampa.schema.devices import NewDevice
from rampa.schema.people import NewPerson, NewToken
from rampa.schema.releases import NewRelease
from rampa.schema.runs import NewRuns
from rampa.schema.sources import NewTrigger, SourceIn, StepVariablesIn
from tests.agents import FakeAgent
from tests.conftest import World
from tests.gits import peatlight
from tests.samples import DOCUMENT, add_key, build, make_folder
from tests.service.test_access import EXPECTED, filled
from tests.service.test_runs import CHAIN, DESKTOP

TITLE = "peatlight"
HANDFUL = 20
"""Queries of one answer at most, with those that find the caller's token."""
QUERY = {
    "/titles/<string:title>/comparison": "?left=linux-release&right=windows-release",
    "/builds/comparison": "?left=1&right=2",
    "/updates/differences": "?old=1&new=3",
    "/updates/matrix": "?platform=linux",
    "/updates/depots": "?old=1&new=2",
    "/log/search": "?text=a",
    "/manifest-difference": "?base=" + "0" * 64,
    "/offer": "?platform=linux",
    "/source/matches": "?pattern=main",
}
MATRIX = "/api/v1/titles/<string:title>/updates/matrix"
"""Each of its costs is worked out once, from the store, and is then kept."""
STREAMS = ("/stream", "/source/git/", "/probe")
"""What answers for as long as somebody listens, or asks another program."""


class Counted:
    """The queries that the service makes while an answer is made."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.seen: list[str] = []
        event.listen(world.services.db.engine, "before_cursor_execute", self._note)

    def _note(self, _connection: object, _cursor: object, statement: str, *_rest: object) -> None:
        self.seen.append(statement)

    def of(self, address: str, token: str) -> tuple[int, int]:
        app = self.world.app
        assert isinstance(app, Flask)
        self.seen.clear()
        answer = app.test_client().get(address, headers={"Authorization": f"Bearer {token}"})
        answer.get_data()
        return answer.status_code, len(self.seen)


@pytest.fixture
def grow(world: World, client: Client, tmp_path: Path) -> Callable[[int], None]:
    """Adds of everything that is listed."""
    add_key(client)
    client.titles.add(DESKTOP)
    client.variables.put("desktop", StepVariablesIn(variables={"PACE": "1"}, secrets={"TOKEN": "lantern-4f9c"}))
    repo = peatlight(tmp_path / "repository", DESKTOP)
    client.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    assert repository.fetch(world.services, TITLE)
    folder = make_folder(tmp_path / "folder", big=40_000)

    def add(index: int) -> None:
        (folder / "data/turn.txt").write_text(f"turn {index}")
        made = []
        for profile in ("linux-release", "windows-release"):
            number = build(client, folder, tmp_path / "state", profile).build.number
            etag = client.channels.preview(TITLE, "studio", number).etag
            client.channels.place(TITLE, "studio", number, etag)
            made.append(number)
            # What the worker does then: before, where content lies changes with the first who asks.
            visibility.settle(world.services)
            client.devices.register(
                TITLE, NewDevice(name=f"desk-{number}", platform=profile.split("-")[0], channel="studio")
            )
        client.releases.make(TITLE, NewRelease(builds=made))
        FakeAgent(client, world.services, f"kiln-{index}", toolchains=[CHAIN])
        client.runs.start(TITLE, NewRuns(profiles=["linux-release"]))
        add_key(client, f"key-{index}")
        other = DOCUMENT.replace('name = "Peatlight"', f'name = "Fog {index}"')
        client.titles.add(re.sub(r'identifier = ".*"', f'identifier = "example.quillback.fog{index}"', other))
        email, password = f"kaisa-{index}@quillback.example", "a long enough password"
        client.people.add(NewPerson(name="Kaisa", email=email, role=Role.TESTER, password=password))
        client.people.make_token(NewToken(name=f"night-{index}", days=1))
        client.runs.add_trigger(TITLE, NewTrigger(name=f"nights-{index}", kind="branch", active=False))
        client.variables.put(f"nights-{index}", StepVariablesIn(variables={"PACE": "1"}))

    return add


def pages() -> list[str]:
    found = [
        rule for route, may in EXPECTED.items() if may != "public" and (rule := route.removeprefix("GET ")) != route
    ]
    return [r for r in found if not any(word in r for word in STREAMS)]


def address(rule: str) -> str:
    end = next((query for tail, query in QUERY.items() if rule.endswith(tail)), "")
    return filled(rule).replace("/keys/none", "/keys/quillback-2026") + end


def test_an_answer_takes_a_handful_of_queries_however_much_there_is(world: World, grow: Callable[[int], None]) -> None:
    token = world.token(Role.OWNER)
    counted = Counted(world)
    grow(0)
    grow(1)
    first = {rule: counted.of(address(rule), token) for rule in pages()}
    for index in (2, 3, 4):
        grow(index)
    counted.of(address(MATRIX), token)
    then = {rule: counted.of(address(rule), token) for rule in pages()}
    grown = {r: (first[r][1], n) for r, (status, n) in then.items() if status == 200 and n > first[r][1] + 2}
    many = {r: n for r, (_, n) in then.items() if n > HANDFUL}
    answered = [r for r, (status, _) in then.items() if status == 200]
    assert not grown, "these ask more often when there is more"
    assert not many, "these ask too often"
    assert len(answered) >= len(then) * 3 // 4, sorted(set(then) - set(answered))
