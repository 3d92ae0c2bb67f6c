"""A person who was disabled, demoted or reset, with all that they had opened before; a stranger with somebody's code."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import httpx
import pytest

from rampa.client import Client
from rampa.client.connection import Connection
from rampa.client.people.sign_in import token_for
from rampa.core.errors import RampaError
from rampa.operations.people import membership, sessions, tokens
from rampa.schema.common import Role
from rampa.schema.people import AcceptIn, InviteIn, NewPerson, NewToken, PasswordChange, PersonChange
from tests.conftest import OWNER, Live, World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key

OSKARI, SECRET, FRESH = "oskari@quillback.example", "a long enough password", "quite another password"


@pytest.fixture
def oskari(client: Client) -> str:
    """The number of an engineer."""
    return client.people.add(NewPerson(name="Oskari", email=OSKARI, role=Role.ENGINEER, password=SECRET)).id


def with_token(world: World, secret: str) -> Client:
    return world._client(secret)


def token_of(world: World, email: str = OSKARI, password: str = SECRET) -> str:
    session, _ = sessions.sign_in(world.services, email, password)
    http = world.app.test_client()  # type: ignore[attr-defined]
    opened = http.post("/api/v1/session", json={"email": email, "password": password}).json
    headers = {"X-CSRF-Token": opened["csrf_token"]}
    made = http.post("/api/v1/tokens", json={"name": f"of {session.person.name}"}, headers=headers)
    return str(made.json["secret"])


def refused(call: Callable[[], object]) -> str:
    with pytest.raises(RampaError) as caught:
        call()
    return caught.value.code


def test_who_is_disabled_is_out_at_once_with_all_that_they_made(world: World, client: Client, oskari: str) -> None:
    http = world.app.test_client()  # type: ignore[attr-defined]
    assert http.post("/api/v1/session", json={"email": OSKARI, "password": SECRET}).status_code == 201
    first = with_token(world, token_of(world))
    second = with_token(world, first.people.make_token(NewToken(name="made by the first")).secret)
    assert second.people.session().person.email == OSKARI
    assert client.people.change(oskari, PersonChange(disabled=True)).disabled
    for each in (first, second):
        assert refused(each.people.session) == "token.unknown-bearer"
    assert http.get("/api/v1/session").status_code == 401
    with refuses("sign-in.denied"):
        sessions.sign_in(world.services, OSKARI, SECRET)
    with refuses("person.disabled"):
        client.people.reset(oskari)
    client.people.change(oskari, PersonChange(disabled=False))
    assert refused(second.people.session) == "token.unknown-bearer"
    sessions.sign_in(world.services, OSKARI, SECRET)


def test_a_token_neither_outlives_nor_exceeds_what_made_it(world: World, client: Client, oskari: str) -> None:
    """A token of a day made one of a year, which lived on when the first was revoked."""
    day = client.people.make_token(NewToken(name="a day", days=1))
    child = with_token(world, day.secret).people.make_token(NewToken(name="a year", days=366))
    assert child.expires_at <= day.expires_at
    grandchild = with_token(world, child.secret).people.make_token(NewToken(name="and on", days=366))
    client.people.revoke_token(day.id)
    for secret in (day.secret, child.secret, grandchild.secret):
        assert tokens.find_token(world.services, secret) is None
    engineer = with_token(world, token_of(world))
    assert refused(lambda: engineer.people.make_token(NewToken(name="x", role=Role.OWNER))) == "role.denied"
    client.people.change(oskari, PersonChange(role=Role.VIEWER))
    assert refused(lambda: engineer.titles.add(DOCUMENT)) == "role.denied"
    assert [t.role for t in [engineer.people.make_token(NewToken(name="x"))]] == [Role.VIEWER]


def test_the_studio_is_never_without_an_owner(client: Client, oskari: str) -> None:
    (iida,) = (p for p in client.people.all() if p.email == OWNER)
    for change in (PersonChange(role=Role.ENGINEER), PersonChange(disabled=True)):
        with refuses("person.last-owner", "Iida is the last owner"):
            client.people.change(iida.id, change)
    client.people.change(oskari, PersonChange(role=Role.OWNER))
    assert client.people.change(iida.id, PersonChange(role=Role.ENGINEER)).role == Role.ENGINEER
    assert refused(lambda: client.people.change(oskari, PersonChange(role=Role.VIEWER))) == "role.denied"


def test_an_invited_owner_who_never_came_does_not_count(client: Client) -> None:
    client.people.invite(InviteIn(name="Vendla", email="vendla@quillback.example", role=Role.OWNER))
    (iida,) = (p for p in client.people.all() if p.email == OWNER)
    with refuses("person.last-owner"):
        client.people.change(iida.id, PersonChange(disabled=True))


def test_a_code_is_one_person_s_once_for_days(world: World, client: Client) -> None:
    made = client.people.invite(InviteIn(name="Vendla", email="vendla@quillback.example", role=Role.TESTER))
    with refuses("person.exists", "is taken"):
        client.people.invite(InviteIn(name="V", email="VENDLA@quillback.example", role=Role.OWNER))
    with refuses("sign-in.denied"):
        sessions.sign_in(world.services, made.email, "")
    nobody = with_token(world, "")
    good = AcceptIn(email=made.email, code=made.code, password=FRESH)
    late = replace(world.services, now=lambda: dt.datetime.now(dt.UTC) + membership.INVITATION_LIFE)
    for wrong in (
        lambda: nobody.people.accept(good.model_copy(update={"code": "A" * 24})),
        lambda: nobody.people.accept(good.model_copy(update={"email": OWNER})),
        lambda: nobody.people.accept(good.model_copy(update={"email": "nobody@quillback.example"})),
        lambda: membership.accept(late, good, ""),
    ):
        assert refused(wrong) == "invitation.denied"
    nobody.people.accept(good.model_copy(update={"code": made.code.lower().replace("-", "")}))
    assert refused(lambda: nobody.people.accept(good)) == "invitation.denied"
    session, _ = sessions.sign_in(world.services, made.email, FRESH)
    assert session.person.role == Role.TESTER
    assert {"person.invite", "person.accept"} <= {e.act for e in client.events.all()}


def test_codes_are_guessed_no_more_often_than_passwords(world: World, client: Client) -> None:
    made = client.people.invite(InviteIn(name="Vendla", email="vendla@quillback.example", role=Role.TESTER))
    nobody = with_token(world, "")
    wrong = AcceptIn(email=made.email, code="A" * 24, password=FRESH)
    found = [refused(lambda: nobody.people.accept(wrong)) for _ in range(12)]
    assert found == ["invitation.denied"] * 10 + ["sign-in.throttled"] * 2


def test_one_s_own_password_takes_the_current_one(world: World, client: Client, oskari: str) -> None:
    mine, other = with_token(world, token_of(world)), with_token(world, token_of(world))
    with refuses("password.wrong", where="current"):
        mine.people.change_password(PasswordChange(current="a guess of somebody", new=FRESH))
    mine.people.change_password(PasswordChange(current=SECRET, new=FRESH))
    for each in (mine, other):
        assert refused(each.people.session) == "token.unknown-bearer"
    with refuses("sign-in.denied"):
        sessions.sign_in(world.services, OSKARI, SECRET)
    sessions.sign_in(world.services, OSKARI, FRESH)


def test_a_browser_that_changes_its_password_stays_signed_in(world: World, client: Client, oskari: str) -> None:
    one, two = (world.app.test_client() for _ in range(2))  # type: ignore[attr-defined]
    opened = [h.post("/api/v1/session", json={"email": OSKARI, "password": SECRET}).json for h in (one, two)]
    body, headers = {"current": SECRET, "new": FRESH}, {"X-CSRF-Token": opened[0]["csrf_token"]}
    assert one.put("/api/v1/session/password", json=body, headers=headers).status_code == 204
    assert (one.get("/api/v1/session").status_code, two.get("/api/v1/session").status_code) == (200, 401)


def test_who_was_reset_has_nothing_until_they_choose(world: World, client: Client, oskari: str) -> None:
    before = with_token(world, token_of(world))
    made = client.people.reset(oskari)
    assert refused(before.people.session) == "token.unknown-bearer"
    with refuses("sign-in.denied"):
        sessions.sign_in(world.services, OSKARI, SECRET)
    with_token(world, "").people.accept(AcceptIn(email=OSKARI, code=made.code, password=FRESH))
    sessions.sign_in(world.services, OSKARI, FRESH)
    with refuses("person.unknown"):
        client.people.reset("00000000-0000-0000-0000-000000000000")


def test_what_they_watch_ends_within_a_second(live: Live, tmp_path: Path) -> None:
    """A stream that was open went on for minutes."""
    with live.client() as client:
        add_key(client)
        client.titles.add(DOCUMENT)
        added = client.people.add(NewPerson(name="Oskari", email=OSKARI, role=Role.ENGINEER, password=SECRET))
        _, token = token_for(live.address, OSKARI, SECRET, "test")
        begun, ended = threading.Event(), threading.Event()

        def watch() -> None:
            headers = {"Authorization": f"Bearer {token.secret}"}
            at = f"{live.address}/api/v1/titles/peatlight/runs/stream"
            with httpx.stream("GET", at, headers=headers, timeout=60, trust_env=False) as answer:
                for line in answer.iter_lines():
                    if line.startswith("data:"):
                        begun.set()
            ended.set()

        threading.Thread(target=watch, daemon=True).start()
        assert begun.wait(60)
        client.people.change(added.id, PersonChange(disabled=True))
        # By itself it goes on for almost five minutes.
        assert ended.wait(60)
        with refuses("token.unknown-bearer"):
            Client(live.address, connection=Connection(live.address, token.secret, patience=0)).titles.all()
