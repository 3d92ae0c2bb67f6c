"""Somebody at the studio's own provider, between it and the service, or with an answer of another's sign-in: tokens that it did
not sign or that are for others, addresses of other people, groups that were taken away, sign-ins that another browser began."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from typing import Any

import pytest

from rampa.client import Client
from rampa.core.errors import Invalid
from rampa.operations.base import Provider
from rampa.operations.base.provider import read_roles, safe_address
from rampa.operations.people import people, tokens
from rampa.schema.common import Role
from rampa.schema.people import NewPerson, PersonChange
from tests.browser_session import BrowserSession
from tests.conftest import OWNER, World
from tests.passkeys import HERE
from tests.provider import StandInProvider, provider_for
from tests.refusals import refuses

AINO = "aino@quillback.example"


@pytest.fixture
def provider(world: World) -> Iterator[StandInProvider]:
    with provider_for(world) as provider:
        yield provider


def come(world: World, provider: StandInProvider, browser: BrowserSession | None = None, **back: str) -> Any:
    browser = browser or BrowserSession(world)
    address = browser.call("POST", "/session/provider")["address"]
    return browser.call("POST", "/session/provider/return", provider.visit(address) | back)


def test_who_comes_has_the_role_of_their_groups(world: World, provider: StandInProvider) -> None:
    assert BrowserSession(world).call("GET", "/session/ways")["provider"] == "the studio's account"
    browser = BrowserSession(world)
    session = come(world, provider, browser)
    assert (session["person"]["email"], session["person"]["role"]) == (AINO, "engineer")
    assert (session["person"]["by_provider"], session["person"]["invited"]) == (True, False)
    for groups, role in (
        (["testers"], "tester"),
        (["testers", "rampa-owners"], "owner"),
        (["game-builds"], "engineer"),
    ):
        provider.person["groups"] = groups
        assert come(world, provider)["person"]["role"] == role
        # What was opened before has the new role, too.
        assert browser.call("GET", "/session")["person"]["role"] == role
    assert [p.email for p in people.list_people(world.services)].count(AINO) == 1


def test_a_name_that_commands_a_terminal(world: World, provider: StandInProvider) -> None:
    provider.person["name"] = "Aino\0 \x1b[2JVirtanen\n" + "x" * 500
    assert come(world, provider)["person"]["name"] == ("Aino [2JVirtanen" + "x" * 500)[:100]


@pytest.mark.parametrize("groups", [[], ["nobody's"], None, "game-builds", {"game-builds": 1}, [["game-builds"], 7]])
def test_who_is_in_no_group_stays_out(world: World, provider: StandInProvider, groups: object) -> None:
    provider.person["groups"] = groups
    assert come(world, provider) == "provider.no-role"
    assert AINO not in {p.email for p in people.list_people(world.services)}


@pytest.mark.parametrize("how", ["other", "nothing", "secret", "public key"])
def test_a_token_that_the_provider_did_not_sign(world: World, provider: StandInProvider, how: str) -> None:
    provider.signs_with = how
    assert come(world, provider) == "provider.untrusted"


LIES: list[dict[str, Any]] = [
    {"iss": "https://provider.attacker.example"},
    {"iss": None},
    {"aud": "another service"},
    {"aud": ["another service", "and another"]},
    {"aud": ["rampa at quillback", "another service"]},
    {"aud": ["rampa at quillback"], "azp": "another service"},
    {"nonce": "of another sign-in"},
    {"nonce": None},
    {"exp": 1_700_000_000},
    {"exp": None},
    {"exp": "tomorrow"},
    {"iat": 4_000_000_000},
    {"sub": None},
    {"sub": ""},
    {"sub": "u" * 300},
    {"sub": "u\0\n17"},
]


@pytest.mark.parametrize("lies", LIES, ids=str)
def test_a_token_for_another_or_over(world: World, provider: StandInProvider, lies: dict[str, Any]) -> None:
    provider.lies = lies
    assert come(world, provider) == "provider.untrusted"


@pytest.mark.parametrize(
    "claims", [{"email_verified": False}, {"email_verified": "true"}, {"email": None}, {"email": 7}, {"email": "a\0@b"}]
)
def test_an_address_that_nobody_checked(world: World, provider: StandInProvider, claims: dict[str, Any]) -> None:
    provider.person |= claims | ({} if "email" in claims else {"email": OWNER})
    assert come(world, provider) == "provider.no-address"


def test_the_address_of_somebody_else_takes_nothing_over(
    world: World, provider: StandInProvider, client: Client
) -> None:
    provider.person["email"] = OWNER.upper()
    assert come(world, provider) == "provider.taken"
    provider.person["email"] = AINO
    assert come(world, provider)["person"]["email"] == AINO
    # A second account there with the first one's address.
    provider.person["sub"] = "u-18"
    assert come(world, provider) == "provider.taken"
    told = [e.detail["why"] for e in client.events.all() if e.act == "provider.refuse"]
    assert told == ["this address is somebody's who signs in otherwise"] * 2


def test_a_person_is_handed_over_and_comes_back(world: World, provider: StandInProvider, client: Client) -> None:
    added = client.people.add(NewPerson(name="Aino", email=AINO, role=Role.VIEWER, password="a long enough password"))
    before = BrowserSession(world)
    before.sign_in(AINO, "a long enough password")
    assert client.people.change(added.id, PersonChange(by_provider=True)).by_provider
    assert before.call("GET", "/session") == "sign-in.needed"
    assert BrowserSession(world).sign_in(AINO, "a long enough password") == "sign-in.denied"
    assert come(world, provider)["person"]["id"] == added.id
    client.people.change(added.id, PersonChange(disabled=True))
    assert come(world, provider) == "provider.taken"
    client.people.change(added.id, PersonChange(disabled=False))
    # A reset takes them back: they choose a password, and their account there opens nothing here.
    client.people.reset(added.id)
    assert come(world, provider) == "provider.taken"


def test_the_last_owner_is_not_handed_over(world: World, provider: StandInProvider, client: Client) -> None:
    owner = next(p for p in client.people.all() if p.email == OWNER)
    with refuses("person.last-owner"):
        client.people.change(owner.id, PersonChange(by_provider=True))


def test_a_sign_in_that_another_browser_began(world: World, provider: StandInProvider) -> None:
    """A thief sends their own code to somebody, to have them work in the thief's account; or takes somebody's code."""
    mine, yours = BrowserSession(world), BrowserSession(world)
    back = provider.visit(mine.call("POST", "/session/provider")["address"])
    assert yours.call("POST", "/session/provider/return", back) == "provider.stray"
    yours.call("POST", "/session/provider")
    assert yours.call("POST", "/session/provider/return", back) == "provider.stray"
    assert yours.call("POST", "/session/provider/return", back | {"state": ""}) == "provider.stray"
    yours.http.set_cookie("rampa_provider", "AAAA", path="/api/v1/session/provider")
    assert yours.call("POST", "/session/provider/return", back) == "provider.stray"
    assert mine.call("POST", "/session/provider/return", back | {"iss": "https://other.example"}) == "provider.stray"


def test_an_answer_is_good_once(world: World, provider: StandInProvider) -> None:
    browser = BrowserSession(world)
    back = provider.visit(browser.call("POST", "/session/provider")["address"])
    kept = browser.http.get_cookie("rampa_provider", path="/api/v1/session/provider")
    assert kept is not None
    assert (kept.http_only, kept.same_site) == (True, "Strict")
    assert browser.call("POST", "/session/provider/return", back)["person"]["email"] == AINO
    browser.http.set_cookie("rampa_provider", kept.value, path="/api/v1/session/provider")
    assert browser.call("POST", "/session/provider/return", back) == "challenge.over"


def test_what_the_provider_refuses_is_said(world: World, provider: StandInProvider) -> None:
    assert come(world, provider, code="", error="access_denied") == "provider.refused"
    assert come(world, provider, code="never-given") == "provider.away"


@pytest.mark.parametrize(
    "described",
    [
        {"issuer": "https://provider.attacker.example"},
        {"token_endpoint": "http://provider.attacker.example/token"},
        {"jwks_uri": "file:///etc/passwd"},
        {"authorization_endpoint": "javascript:alert(1)"},
        {"jwks_uri": None},
        {"more": "x" * (1 << 20)},
    ],
    ids=["issuer", "plain http", "file", "script", "missing", "large"],
)
def test_a_provider_that_describes_itself_strangely(
    world: World, provider: StandInProvider, described: dict[str, Any]
) -> None:
    provider.described = described
    assert BrowserSession(world).call("POST", "/session/provider") == "provider.away"


def test_one_that_does_not_answer(world: World) -> None:
    with provider_for(world) as gone:
        pass
    assert gone.at
    assert BrowserSession(world).call("POST", "/session/provider") == "provider.away"


def test_tokens_end_where_the_provider_no_longer_vouches(world: World, provider: StandInProvider) -> None:
    browser = BrowserSession(world)
    come(world, provider, browser)
    secret = browser.call("POST", "/tokens", {"name": "laptop", "days": 366})["secret"]
    assert tokens.find_token(world.services, secret) is not None
    later = dt.datetime.now(dt.UTC) + dt.timedelta(days=15)
    object.__setattr__(world.services, "now", lambda: later)
    with refuses("token.provider", "two weeks"):
        tokens.find_token(world.services, secret)
    provider.now = later
    come(world, provider)
    assert tokens.find_token(world.services, secret) is not None


def test_a_stolen_session_of_theirs_adds_no_factor(world: World, provider: StandInProvider) -> None:
    """They have no password to be asked for: a sign-in of the last minutes stands for it."""
    browser = BrowserSession(world)
    come(world, provider, browser)
    assert browser.call("POST", "/session/second-factor", {"password": ""})["secret"]
    object.__setattr__(world.services, "origin", HERE)
    now = dt.datetime.now(dt.UTC) + dt.timedelta(minutes=6)
    object.__setattr__(world.services, "now", lambda: now)
    for path in ("/session/second-factor", "/session/passkeys/challenge"):
        assert browser.call("POST", path, {"password": ""}) == "sign-in.again"


def test_it_begins_where_it_comes_back_to(world: World, provider: StandInProvider) -> None:
    object.__setattr__(world.services, "origin", "http://localhost:8600")
    assert BrowserSession(world, "http://127.0.0.1:8600").call("POST", "/session/provider") == "provider.elsewhere"
    assert come(world, provider, BrowserSession(world, "http://localhost:8600"))["person"]["email"] == AINO


def test_a_studio_without_one(world: World) -> None:
    assert BrowserSession(world).call("POST", "/session/provider") == "provider.none"


@pytest.mark.parametrize("issuer", ["http://provider.quillback.example", "ftp://x", "https://u:p@x.example", "", "x"])
def test_an_issuer_that_could_be_overheard(issuer: str) -> None:
    assert not safe_address(issuer)
    with pytest.raises(Invalid):
        Provider(issuer, "c", "s", {})


def test_roles_are_read() -> None:
    assert read_roles("a=owner, b c=viewer,") == {"a": Role.OWNER, "b c": Role.VIEWER}
    for wrong in ("a", "=owner", "a=agent", "a=chief"):
        with refuses("provider.roles"):
            read_roles(wrong)
    assert "secret" not in repr(Provider("https://p.example", "c", "a secret", {})).replace("secret=", "")
