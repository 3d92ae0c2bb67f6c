"""Somebody with a password, a token or a session of another, and without their phone: signing in, acts that matter, codes that
were seen, guesses, races; and a big body before any sign-in.

Before: a password was all there was, and a stolen token gave signing identities out.
"""

from __future__ import annotations

import datetime as dt
import io
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
from flask import Flask

from rampa.client import Client
from rampa.client.connection import Connection
from rampa.core.errors import RampaError
from rampa.db import SecondFactorRow
from rampa.operations.people import factors, guesses, people, sessions
from rampa.operations.signing import succession
from rampa.schema.common import Role
from rampa.schema.people import NewPerson, NewToken, PersonChange
from rampa.service.base.access import UNKNOWN_LIMIT
from rampa.service.wiring import make_app
from tests.clock import START, Clock
from tests.conftest import MASTER, OWNER, World
from tests.factors import code_at, known_secret
from tests.refusals import refuses
from tests.samples import add_key


@pytest.fixture
def clock(world: World) -> Clock:
    return Clock(world, START)


@pytest.fixture
def spare(client: Client, world: World, clock: Clock, monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The owner has a second factor; ten minutes have gone since. Its spare codes."""
    known_secret(monkeypatch)
    made = client.people.begin_factor(world.owner_password)
    assert (made.secret, made.address.startswith("otpauth://totp/")) == ("GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ", True)
    codes = client.people.finish_factor(code_at(START)).codes
    clock.pass_(minutes=10)
    return codes


def sign_in(world: World, code: str = "", password: str = "", address: str = "192.0.2.7") -> str:
    """The refusal's code, or nothing."""
    try:
        sessions.sign_in(world.services, OWNER, password or world.owner_password, address, code)
    except RampaError as error:
        return error.code
    return ""


def test_a_password_alone_does_not_sign_in(world: World, spare: list[str], clock: Clock) -> None:
    assert sign_in(world) == "sign-in.factor-needed"
    # Who does not know the password learns nothing of it, with any code.
    assert sign_in(world, code_at(clock.now), "not it") == "sign-in.denied"
    assert sign_in(world, "000000") == "factor.wrong"
    assert sign_in(world, code_at(clock.now)) == ""


def test_a_code_that_was_seen_is_worth_nothing(world: World, spare: list[str], clock: Clock) -> None:
    seen = code_at(clock.now)
    assert sign_in(world, seen) == ""
    assert sign_in(world, seen) == "factor.wrong"
    clock.pass_(seconds=30)
    assert sign_in(world, seen) == "factor.wrong"
    assert sign_in(world, code_at(clock.now)) == ""
    # One that was shown before the last that was used is over, too.
    assert sign_in(world, code_at(clock.now, -1)) == "factor.wrong"
    clock.pass_(minutes=5)
    for steps, taken in ((-2, "factor.wrong"), (2, "factor.wrong"), (-1, ""), (0, ""), (1, "")):
        assert sign_in(world, code_at(clock.now, steps)) == taken, steps


@pytest.mark.parametrize("kind", ["shown", "spare"])
def test_of_some_at_one_moment_one_has_it(world: World, spare: list[str], clock: Clock, kind: str) -> None:
    code = code_at(clock.now) if kind == "shown" else spare[0]
    with ThreadPoolExecutor(6) as threads:
        told = list(threads.map(lambda _: sign_in(world, code), range(6)))
    assert sorted(told) == ["", *["factor.wrong"] * 5]


def test_a_spare_code_is_good_once(world: World, spare: list[str], clock: Clock) -> None:
    assert len(set(spare)) == factors.SPARE
    assert sign_in(world, spare[3].lower().replace("-", " ")) == ""
    assert sign_in(world, spare[3]) == "factor.wrong"
    with world.services.db.transaction() as session:
        row = session.query(SecondFactorRow).one()
    assert spare[0] not in row.spare
    assert b"GEZDGNBV" not in row.sealed


def test_codes_are_not_guessed(world: World, spare: list[str], clock: Clock) -> None:
    limit = guesses.LIMITS["factor"][0]
    told = [sign_in(world, f"{n:06}", address=f"192.0.2.{n}") for n in range(limit + 5)]
    assert told == ["factor.wrong"] * limit + ["factor.throttled"] * 5
    # The right one is not compared either, from wherever it comes.
    assert sign_in(world, code_at(clock.now), address="192.0.2.99") == "factor.throttled"
    clock.pass_(minutes=6)
    assert sign_in(world, code_at(clock.now)) == ""


def test_a_stolen_token_does_nothing_that_matters(world: World, client: Client, spare: list[str], clock: Clock) -> None:
    """Reading and building go on; what cannot be taken back does not."""
    add_key(client)
    kaisa = client.people.all()[0]
    tries = (
        lambda c: c.signing.export("quillback-2026", "a new password"),
        lambda c: c.people.add(NewPerson(name="K", email="k@quillback.example", role=Role.OWNER, password="a" * 12)),
        lambda c: c.people.change(kaisa.id, PersonChange(role=Role.VIEWER)),
        lambda c: c.people.reset(kaisa.id),
        lambda c: c.people.remove_factor(),
        lambda c: c.connection.request("POST", "/api/v1/vault/master-key"),
    )
    stolen = copy_of(client, client.people.make_token(NewToken(name="stolen")).secret)
    for act in tries:
        for each in (client, stolen):
            with refuses("confirm.needed", "second factor again"):
                act(each)
    assert stolen.titles.all() is not None
    with refuses("factor.wrong"):
        stolen.people.confirm("123456")
    # Where the rightful one confirms, the thief's token is none the wiser.
    client.people.confirm(code_at(clock.now))
    assert client.signing.export("quillback-2026", "a new password")
    with refuses("confirm.needed"):
        tries[0](stolen)
    clock.pass_(minutes=5, seconds=1)
    with refuses("confirm.needed"):
        tries[0](client)


def test_whoever_is_asked_brings_the_code_and_the_act_goes_on(client: Client, spare: list[str], clock: Clock) -> None:
    add_key(client)
    client.connection.ask_code = lambda: code_at(clock.now)
    assert client.signing.export("quillback-2026", "a new password")
    clock.pass_(minutes=6)
    client.connection.ask_code = lambda: "000000"
    with refuses("factor.wrong", "wrong, or was used"):
        client.signing.export("quillback-2026", "a new password")


def test_a_token_is_confirmed_no_longer_than_what_made_it(client: Client, spare: list[str], clock: Clock) -> None:
    client.people.confirm(code_at(clock.now))
    clock.pass_(minutes=4)
    later = copy_of(client, client.people.make_token(NewToken(name="later")).secret)
    clock.pass_(minutes=2)
    with refuses("confirm.needed"):
        later.people.remove_factor()


def test_a_factor_is_not_put_in_place_of_another(world: World, client: Client, spare: list[str], clock: Clock) -> None:
    """A thief would add a phone of their own, or finish what somebody began."""
    with refuses("confirm.needed"):
        client.people.begin_factor(world.owner_password)
    with refuses("factor.wrong"):
        client.people.finish_factor(code_at(clock.now))
    client.people.confirm(code_at(clock.now))
    with refuses("factor.exists", "such codes already"):
        client.people.begin_factor(world.owner_password)
    with refuses("password.wrong"):
        client.people.begin_factor("not it")
    client.people.remove_factor()
    assert sign_in(world) == ""
    # Begun and never finished: it does not count, and keeps nobody out.
    client.people.begin_factor(world.owner_password)
    assert sign_in(world) == ""
    assert not client.people.session().person.second_factor


def test_a_reset_ends_the_factor_with_the_password(
    world: World, client: Client, spare: list[str], clock: Clock
) -> None:
    fresh = people.new_password(world.services, OWNER)
    assert sign_in(world, password=fresh) == ""


def test_where_it_is_needed_nothing_else_is_done_before(world: World, clock: Clock) -> None:
    app = make_app(world.services, factor_needed=True)
    assert isinstance(app, Flask)
    for role, free in ((Role.OWNER, False), (Role.ENGINEER, False), (Role.VIEWER, True)):
        client = copy_of(world.client(), world.token(role), app)
        for act in (client.titles.all, client.events.all):
            if free:
                list(act())
            else:
                with refuses("factor.needed", "need a second factor"):
                    list(act())
        assert client.people.session().person.role == role
    with refuses("factor.needed"):
        copy_of(world.client(), world.token(), app).people.add(
            NewPerson(name="K", email="k@quillback.example", role=Role.OWNER, password="a" * 12)
        )


def test_a_new_master_key_takes_the_factors_along(world: World, client: Client, spare: list[str], clock: Clock) -> None:
    object.__setattr__(world.services, "master_key", (bytes(32), MASTER))
    succession.change_master_key(world.services, world.actor())
    object.__setattr__(world.services, "master_key", bytes(32))
    assert sign_in(world, code_at(clock.now)) == ""


def test_the_codes_are_those_of_the_rfc(monkeypatch: pytest.MonkeyPatch) -> None:
    """RFC 6238, appendix B, SHA-1, the last six of eight digits."""
    for seconds, code in ((59, "287082"), (1111111109, "081804"), (1234567890, "005924"), (20000000000, "353130")):
        assert code_at(dt.datetime.fromtimestamp(seconds, dt.UTC)) == code


@pytest.mark.parametrize("path", ["session", "invitation"])
def test_a_body_without_a_length_is_no_larger(world: World, path: str) -> None:
    """Sent in chunks, it says no length before it comes."""
    app = world.app
    assert isinstance(app, Flask)
    body = io.BytesIO(b'{"email": "' + b"a" * (UNKNOWN_LIMIT + 10_000) + b'"}')
    answer = app.test_client().open(
        f"/api/v1/{path}",
        method="POST",
        input_stream=body,
        content_type="application/json",
        environ_overrides={"wsgi.input_terminated": True, "HTTP_TRANSFER_ENCODING": "chunked"},
    )
    assert answer.status_code in (413, 422)
    assert body.tell() <= UNKNOWN_LIMIT + 4096


def copy_of(client: Client, token: str, app: object = None) -> Client:
    transport = httpx.WSGITransport(app=app, raise_app_exceptions=False) if app else client.connection._http._transport  # type: ignore[arg-type]
    at = "http://rampa.test"
    return Client(at, connection=Connection(at, token, transport=transport, patience=0))
