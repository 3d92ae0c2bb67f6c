"""Two people who make the same thing at the same moment: one has it, the other is told, and nothing breaks."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor

from sqlalchemy import text

from rampa.client import Client
from rampa.db import Database, PersonRow
from rampa.schema.common import Role
from rampa.schema.people import NewPerson
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
