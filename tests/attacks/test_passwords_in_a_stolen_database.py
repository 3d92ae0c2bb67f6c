"""A stolen database, and the passwords that people were given: before, a fast digest of the call that set one rested there, and
424,000 guesses a second could be tried at it."""

from __future__ import annotations

import hashlib
import json
from dataclasses import replace

from flask import Flask
from sqlalchemy import select

from rampa.db import IdempotentAnswerRow
from rampa.operations.base import Once
from rampa.operations.people import people
from rampa.schema.common import Role
from rampa.schema.people import NewPerson
from tests.conftest import World
from tests.refusals import refuses

KEY = {"Idempotency-Key": "the-night-of-the-long-fog"}
ASKED = {"name": "Kaisa", "email": "kaisa@quillback.example", "role": "engineer", "password": "heather and peat"}
NEW = b"new" + bytes(29)


def add(world: World, token: str) -> int:
    app = world.app
    assert isinstance(app, Flask)
    data = json.dumps(ASKED).encode()
    headers = {"Authorization": f"Bearer {token}", **KEY}
    answer = app.test_client().post("/api/v1/people", data=data, headers=headers, content_type="application/json")
    return answer.status_code


def test_nothing_that_rests_can_be_tried_without_the_master_key(world: World) -> None:
    token = world.token(Role.OWNER)
    assert add(world, token) == 201
    with world.services.db.transaction() as session:
        (row,) = session.scalars(select(IdempotentAnswerRow))
        rests = row.request_digest
        told = json.dumps(row.body)
    body = json.dumps(ASKED).encode()
    fast = [hashlib.sha256(start + body).digest() for start in (b"POST /api/v1/people\n", b"", b"POST /people\n")]
    assert rests not in fast
    assert ASKED["password"] not in told


def test_a_call_is_the_same_call_while_the_master_key_changes(world: World) -> None:
    old = world.services.master_key
    assert isinstance(old, bytes)
    asked = Once("the-night-of-the-long-fog", hashlib.sha256(b"asked").digest())
    person = NewPerson(name="Kaisa", email="kaisa@quillback.example", role=Role.ENGINEER, password="heather and peat")

    def add(masters: tuple[bytes, ...]) -> str:
        return people.add_person(replace(world.services, master_key=masters), world.actor(), person, asked).id

    made = add((old,))
    assert add((NEW, old)) == made
    # The old key is gone: what was asked cannot be compared any more, and nothing is made twice.
    with refuses("idempotency.reused"):
        add((NEW,))
