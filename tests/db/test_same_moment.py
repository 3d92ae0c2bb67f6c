"""Two who write at the same moment: one has what both would make, the other is told; what both change, both change."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from sqlalchemy import text

from rampa.client import Client
from rampa.db import Database, PersonRow, find_run
from rampa.operations.base import begin
from rampa.operations.runs.assignment import assign
from rampa.operations.runs.logs import say
from rampa.schema.common import Role
from rampa.schema.people import NewPerson
from rampa.schema.runs import NewRuns
from tests.agents import with_repository
from tests.conftest import World
from tests.refusals import refuses

EMAIL = "kaisa@quillback.example"


def waits_for_a_row(db: Database) -> bool:
    """Somebody's insertion waits for a transaction that has not ended yet."""
    with db.transaction() as session:
        waiting = (
            "select count(*) from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock'"
        )
        return bool(session.scalar(text(waiting)))


def test_the_slower_of_two_is_told(world: World, client: Client) -> None:
    asked = NewPerson(name="Kaisa", email=EMAIL, role=Role.ENGINEER, password="a long enough password")
    with ThreadPoolExecutor(1) as other:
        with world.services.db.transaction() as first:
            first.add(
                PersonRow(
                    name="Kaisa", email=EMAIL, role=Role.TESTER, password_hash="x", created_at=world.services.now()
                )
            )
            first.flush()
            slower = other.submit(client.people.add, asked)
            while not waits_for_a_row(world.services.db) and not slower.done():
                time.sleep(0.01)
        with refuses("database.same-moment"):
            slower.result()
    assert [p.role for p in client.people.all() if p.email == EMAIL] == [Role.TESTER]
    with refuses("person.exists"):
        client.people.add(asked)


def test_who_waits_for_a_run_goes_on_where_the_other_left_it(world: World, client: Client, tmp_path: Path) -> None:
    agent = with_repository(world.services, client, tmp_path)
    client.runs.start("peatlight", NewRuns(profiles=["linux-release"]))
    assign(world.services)
    agent.say(agent.work(), "fog 1")
    with ThreadPoolExecutor(1) as other:
        with begin(world.services) as uow:
            run = find_run(uow.session, "peatlight", 1, lock=True)
            slower = other.submit(client.runs.cancel, "peatlight", 1)
            while not waits_for_a_row(world.services.db) and not slower.done():
                time.sleep(0.01)
            say(uow, run, "fog 2")
            run.attempt.waits_for = "the thaw"
        assert slower.result().state == "stopping"
    said = [text for _, _, _, text in client.runs.log("peatlight", 1).rows]
    assert said[-3:] == ["fog 1", "fog 2", "Cancelled by Iida."]
