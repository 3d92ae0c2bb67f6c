"""A machine that asks to be signed in by a browser elsewhere: codes that are guessed, taken twice, or allowed by who may not."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest

from rampa.client import Client
from rampa.client.people.sign_in import ask_browser, token_from_browser
from rampa.operations.people import tokens
from rampa.schema.common import Role
from rampa.schema.people import PersonChange
from tests.browser_session import BrowserSession
from tests.clock import Clock
from tests.conftest import OWNER, World
from tests.refusals import refuses

NAME = {"name": "command line on kiln-2"}


@pytest.fixture
def clock(world: World) -> Clock:
    return Clock(world)


@pytest.fixture
def browser(world: World, clock: Clock) -> BrowserSession:
    browser = BrowserSession(world)
    browser.sign_in(OWNER, world.owner_password)
    return browser


def take(world: World, request: dict[str, str]) -> str:
    """The refusal's code, or the token."""
    got = BrowserSession(world).call("POST", "/session/requests/token", {"device_code": request["device_code"]})
    return got if isinstance(got, str) else str(got["secret"])


def test_a_machine_is_let_in_by_who_sees_it(world: World, browser: BrowserSession, client: Client) -> None:
    request = ask_browser(client.connection, "command line on kiln-2")
    assert request.verification_uri_complete.endswith(f"/allow?code={request.user_code}")
    seen = browser.call("GET", f"/session/requests/{request.user_code.lower().replace('-', ' ')}")
    assert (seen["name"], seen["address"]) == ("command line on kiln-2", "127.0.0.1")
    waited: list[float] = []

    def sleep(seconds: float) -> None:
        waited.append(seconds)
        if len(waited) == 3:
            assert browser.call("POST", f"/session/requests/{request.user_code}", {"allow": True}) is None

    token = token_from_browser(client.connection, request, sleep)
    assert waited == [2, 2, 2]
    found = tokens.find_token(world.services, token.secret)
    assert found is not None
    assert (found.person.email, found.role, found.name) == (OWNER, "owner", "command line on kiln-2")
    assert any(e.act == "machine.allow" for e in client.events.all())


def test_a_refusal_is_final(world: World, browser: BrowserSession) -> None:
    request = browser.call("POST", "/session/requests", NAME)
    assert take(world, request) == "request.pending"
    assert browser.call("POST", f"/session/requests/{request['user_code']}", {"allow": False}) is None
    assert browser.call("POST", f"/session/requests/{request['user_code']}", {"allow": True}) == "request.unknown"
    assert take(world, request) == "request.refused"
    assert take(world, request) == "request.over"


def test_of_some_at_one_moment_one_has_the_token(world: World, browser: BrowserSession) -> None:
    request = browser.call("POST", "/session/requests", NAME)
    browser.call("POST", f"/session/requests/{request['user_code']}", {"allow": True})
    with ThreadPoolExecutor(4) as threads:
        told = list(threads.map(lambda _: take(world, request), range(4)))
    assert sorted(each == "request.over" for each in told) == [False, True, True, True]


def test_it_is_over_after_minutes(world: World, browser: BrowserSession, clock: Clock) -> None:
    request = browser.call("POST", "/session/requests", NAME)
    clock.pass_(minutes=11)
    assert browser.call("POST", f"/session/requests/{request['user_code']}", {"allow": True}) == "request.unknown"
    assert take(world, request) == "request.over"
    late = browser.call("POST", "/session/requests", NAME)
    browser.call("POST", f"/session/requests/{late['user_code']}", {"allow": True})
    clock.pass_(minutes=11)
    assert take(world, late) == "request.over"


def test_codes_are_not_guessed(world: World, browser: BrowserSession) -> None:
    request = browser.call("POST", "/session/requests", NAME)
    told = [browser.call("GET", f"/session/requests/AAAA-AA{n}A") for n in range(2, 8)]
    assert set(told) == {"request.unknown"}
    told = [browser.call("GET", f"/session/requests/AAAA-A{n % 6 + 2}AA") for n in range(20)]
    assert told[-1] == "request.throttled"
    assert browser.call("GET", f"/session/requests/{request['user_code']}") == "request.throttled"
    assert take(world, {"device_code": request["user_code"] + "A" * 20}) == "request.over"


def test_asking_without_end_is_told_to_wait(world: World, clock: Clock) -> None:
    stranger = BrowserSession(world)
    told = [stranger.call("POST", "/session/requests", NAME) for _ in range(25)]
    assert [isinstance(each, dict) for each in told] == [True] * 20 + [False] * 5
    assert told[-1] == "request.throttled"
    clock.pass_(minutes=6)
    assert isinstance(stranger.call("POST", "/session/requests", NAME), dict)


def test_a_token_lets_nobody_in(world: World, browser: BrowserSession, client: Client) -> None:
    """What it allowed would outlive it."""
    request = browser.call("POST", "/session/requests", NAME)
    with refuses("request.browser"):
        client.connection.request(
            "POST",
            f"/api/v1/session/requests/{request['user_code']}",
            content=b'{"allow": true}',
            headers={"Content-Type": "application/json"},
        )


def test_who_is_disabled_meanwhile_lets_nobody_in(world: World, client: Client, clock: Clock) -> None:
    world.token(Role.ENGINEER)
    browser = BrowserSession(world)
    browser.sign_in("engineer@quillback.example", "a long enough password")
    request = browser.call("POST", "/session/requests", NAME)
    assert browser.call("POST", f"/session/requests/{request['user_code']}", {"allow": True}) is None
    engineer = next(p for p in client.people.all() if p.role == Role.ENGINEER)
    client.people.change(engineer.id, PersonChange(disabled=True))
    assert take(world, request) == "request.refused"
