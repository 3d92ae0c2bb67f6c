"""Somebody with a password, a session, a token or an old answer of another, and without their passkey; pages at other addresses;
copies; and answers that no browser makes."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import cbor2
import pytest

from rampa.client import Client
from rampa.db import AuditEventRow, SpentChallengeRow
from rampa.operations.people import challenges, people
from rampa.schema.common import Role
from tests.browser_session import BrowserSession
from tests.clock import Clock
from tests.conftest import OWNER, World
from tests.factors import code_at, known_secret
from tests.passkeys import HERE, PRESENT, Passkey, packed
from tests.samples import add_key

ELSEWHERE = "http://localhost.attacker.example"


@pytest.fixture
def clock(world: World) -> Clock:
    object.__setattr__(world.services, "origin", HERE)
    return Clock(world)


@pytest.fixture
def browser(world: World, clock: Clock) -> BrowserSession:
    """The owner's, signed in with the password."""
    browser = BrowserSession(world)
    assert browser.sign_in(OWNER, world.owner_password)["factors"] == []
    return browser


@pytest.fixture
def passkey(world: World, browser: BrowserSession, clock: Clock) -> Passkey:
    """The owner's; ten minutes have gone since it was added."""
    passkey = Passkey()
    assert add(world, browser, passkey)["name"] == "Phone"
    clock.pass_(minutes=10)
    return passkey


def add(world: World, browser: BrowserSession, passkey: Passkey, fmt: str = "none") -> Any:
    asked = browser.call("POST", "/session/passkeys/challenge", {"password": world.owner_password})
    if isinstance(asked, str):
        return asked
    body = {"name": "Phone", "answer": passkey.attested(asked["options"], fmt)}
    return browser.call("POST", "/session/passkeys", body)


def sign_in(world: World, passkey: Passkey) -> str:
    """The refusal's code, or nothing."""
    browser = BrowserSession(world)
    asked = browser.call("POST", "/session/passkey/challenge")
    got = browser.call("POST", "/session/passkey", passkey.asserted(asked["options"]))
    return got if isinstance(got, str) else ""


def confirm(browser: BrowserSession, passkey: Passkey) -> str | None:
    asked = browser.call("POST", "/session/confirmation/challenge")
    refused: str | None = browser.call("POST", "/session/confirmation/passkey", passkey.asserted(asked["options"]))
    return refused


def test_a_passkey_signs_in_and_a_password_alone_no_longer_does(world: World, passkey: Passkey) -> None:
    assert sign_in(world, passkey) == ""
    assert BrowserSession(world).sign_in(OWNER, world.owner_password) == "sign-in.passkey-needed"
    # Who does not know the password learns nothing of it.
    assert BrowserSession(world).sign_in(OWNER, "not it") == "sign-in.denied"
    assert sign_in(world, Passkey()) == "passkey.unknown-here"


def test_with_codes_beside_it_either_will_do(
    world: World, browser: BrowserSession, passkey: Passkey, clock: Clock, monkeypatch: pytest.MonkeyPatch
) -> None:
    known_secret(monkeypatch)
    password = {"password": world.owner_password}
    assert browser.call("POST", "/session/second-factor", password) == "confirm.needed"
    assert confirm(browser, passkey) is None
    browser.call("POST", "/session/second-factor", password)
    assert len(browser.call("PUT", "/session/second-factor", {"code": code_at(clock.now)})["codes"]) == 8
    clock.pass_(minutes=1)
    signed_in = BrowserSession(world).sign_in(OWNER, world.owner_password, code_at(clock.now))
    assert signed_in["factors"] == ["codes", "passkey"]
    assert browser.call("DELETE", "/session/second-factor") is None
    assert browser.call("GET", "/session")["factors"] == ["passkey"]


def test_an_answer_is_good_once(world: World, passkey: Passkey) -> None:
    browser = BrowserSession(world)
    answer = passkey.asserted(browser.call("POST", "/session/passkey/challenge")["options"])
    with ThreadPoolExecutor(4) as threads:
        told = list(threads.map(lambda _: BrowserSession(world).send("POST", "/session/passkey", answer), range(4)))
    assert sorted(each.status_code for each in told) == [201, 403, 403, 403]


def test_a_challenge_that_is_old_or_not_ours_is_worth_nothing(world: World, passkey: Passkey, clock: Clock) -> None:
    browser = BrowserSession(world)
    options = browser.call("POST", "/session/passkey/challenge")["options"]
    clock.pass_(minutes=6)
    for each in (options, {"challenge": packed(bytes(56))}, {"challenge": ""}, {"challenge": packed(b"short")}):
        assert browser.call("POST", "/session/passkey", passkey.asserted(each)) == "challenge.over"


def test_asking_fills_nothing(world: World, clock: Clock) -> None:
    for _ in range(50):
        BrowserSession(world).call("POST", "/session/passkey/challenge")
    with world.services.db.transaction() as session:
        assert session.query(SpentChallengeRow).count() == 0
    challenges.spend(world.services, challenges.new_challenge(world.services, "x"), "x")
    clock.pass_(minutes=6)
    challenges.spend(world.services, challenges.new_challenge(world.services, "x"), "x")
    with world.services.db.transaction() as session:
        assert session.query(SpentChallengeRow).count() == 1


def test_a_challenge_is_for_one_thing_and_one_session(world: World, browser: BrowserSession, passkey: Passkey) -> None:
    """An answer that was made for signing in confirms nothing; one for another session neither."""
    for asked_at, by in (("/session/passkey/challenge", browser), ("/session/confirmation/challenge", None)):
        if by is None:
            by = BrowserSession(world)
            by.csrf = by.call(
                "POST", "/session/passkey", passkey.asserted(by.call("POST", "/session/passkey/challenge")["options"])
            )["csrf_token"]
        answer = passkey.asserted(by.call("POST", asked_at)["options"])
        assert browser.call("POST", "/session/confirmation/passkey", answer) == "challenge.over"


@pytest.mark.parametrize(
    "change",
    [
        {"origin": ELSEWHERE},
        {"host": "localhost.attacker.example"},
        {"origin": "http://localhost:9999"},
        {"flags": PRESENT},
        {"flags": 0},
        {"handle": bytes(16)},
        {"key": Passkey().key},
    ],
    ids=["page", "host", "port", "nobody unlocked it", "nobody was there", "somebody else", "key"],
)
def test_what_another_page_or_device_made(world: World, passkey: Passkey, change: dict[str, object]) -> None:
    for name, value in change.items():
        setattr(passkey, name, value)
    assert sign_in(world, passkey) == "passkey.wrong"
    with world.services.db.transaction() as session:
        told = session.query(AuditEventRow).filter_by(act="passkey.refuse").one()
    assert (told.subject, told.detail["address"]) == (OWNER, "127.0.0.1")


def test_a_copy_falls_behind(world: World, passkey: Passkey) -> None:
    copy = Passkey(ident=passkey.ident, key=passkey.key, handle=passkey.handle)
    for _ in range(3):
        assert sign_in(world, passkey) == ""
    assert sign_in(world, copy) == "passkey.wrong"


def test_a_device_that_does_not_count_is_taken(world: World, browser: BrowserSession) -> None:
    class Still(Passkey):
        def __setattr__(self, name: str, value: object) -> None:
            super().__setattr__(name, 0 if name == "uses" else value)

    still = Still()
    assert add(world, browser, still) != ""
    assert [sign_in(world, still) for _ in range(2)] == ["", ""]


@pytest.mark.parametrize(
    "page", ["http://127.0.0.1:8600", "http://localhost:9999", "https://localhost:8600", ELSEWHERE, ""]
)
def test_they_are_for_the_address_that_the_operator_says(world: World, passkey: Passkey, page: str) -> None:
    """Another server of this machine, too, could ask us and show its own page the question."""
    elsewhere = BrowserSession(world, page or HERE)
    elsewhere.origin = page
    assert elsewhere.call("POST", "/session/passkey/challenge") == "passkey.nowhere"
    assert elsewhere.call("GET", "/session/ways") == {"provider": "", "passkeys_at": HERE}
    there = BrowserSession(world).call("POST", "/session/passkey/challenge")
    assert there["options"]["rpId"] == "localhost"
    object.__setattr__(world.services, "origin", "")
    assert BrowserSession(world).call("POST", "/session/passkey/challenge") == "passkey.nowhere"


def test_a_stolen_session_adds_none_and_removes_none(world: World, browser: BrowserSession, passkey: Passkey) -> None:
    assert add(world, browser, Passkey()) == "confirm.needed"
    mine = browser.call("GET", "/session/passkeys")["items"][0]["id"]
    assert browser.call("DELETE", f"/session/passkeys/{mine}") == "confirm.needed"
    assert confirm(browser, passkey) is None
    assert browser.call("POST", "/session/passkeys/challenge", {"password": "not it"}) == "password.wrong"
    assert browser.call("DELETE", f"/session/passkeys/{mine}") is None
    assert sign_in(world, passkey) == "passkey.unknown-here"
    assert browser.call("GET", "/session")["person"]["second_factor"] is False


def test_nobody_confirms_or_removes_with_anothers(world: World, passkey: Passkey, clock: Clock) -> None:
    world.token(Role.ENGINEER)
    other = BrowserSession(world)
    other.sign_in("engineer@quillback.example", "a long enough password")
    with world.services.db.transaction() as session:
        events = session.query(AuditEventRow).filter_by(act="factor.confirm").count()
    assert confirm(other, passkey) == "passkey.unknown-here"
    owners = BrowserSession(world)
    options = owners.call("POST", "/session/passkey/challenge")["options"]
    owners.call("POST", "/session/passkey", passkey.asserted(options))
    ident = owners.call("GET", "/session/passkeys")["items"][0]["id"]
    assert other.call("DELETE", f"/session/passkeys/{ident}") == "passkey.unknown"
    with world.services.db.transaction() as session:
        assert session.query(AuditEventRow).filter_by(act="factor.confirm").count() == events


def test_one_passkey_is_not_two_peoples(world: World, browser: BrowserSession, passkey: Passkey) -> None:
    world.token(Role.ENGINEER)
    other = BrowserSession(world)
    other.sign_in("engineer@quillback.example", "a long enough password")
    asked = other.call("POST", "/session/passkeys/challenge", {"password": "a long enough password"})
    body = {"name": "Phone", "answer": passkey.attested(asked["options"])}
    assert other.call("POST", "/session/passkeys", body) == "passkey.exists"
    # A challenge that was made for one is worth nothing to another.
    asked = other.call("POST", "/session/passkeys/challenge", {"password": "a long enough password"})
    body = {"name": "Phone", "answer": Passkey().attested(asked["options"])}
    assert browser.call("POST", "/session/passkeys", body) == "challenge.over"


def test_what_matters_asks_for_the_passkey(
    world: World, client: Client, browser: BrowserSession, passkey: Passkey
) -> None:
    add_key(client)
    export = ("POST", "/keys/quillback-2026/export", {"password": "a new password"})
    assert browser.call(*export) == "confirm.needed"
    assert confirm(browser, passkey) is None
    assert browser.send(*export).status_code == 200


def test_there_are_so_many_and_no_more(world: World, browser: BrowserSession, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rampa.operations.people.passkeys.MOST", 1)
    assert add(world, browser, Passkey())["name"] == "Phone"
    assert add(world, browser, Passkey()) == "passkey.many"


def test_a_disabled_person_and_a_reset_end_it(world: World, passkey: Passkey, clock: Clock) -> None:
    people.new_password(world.services, OWNER)
    assert sign_in(world, passkey) == "passkey.unknown-here"


NESTED = b"\x81" * 5000 + b"\x00"


@pytest.mark.parametrize("fmt", ["packed", "tpm", "apple", "android-key", "fido-u2f", "nothing known"])
def test_statements_of_makers_are_not_read(world: World, browser: BrowserSession, fmt: str) -> None:
    assert add(world, browser, Passkey(), fmt) in ("passkey.attested", "passkey.unreadable")


@pytest.mark.parametrize(
    "sent", [b"", b"\xff" * 40, NESTED, cbor2.dumps({"fmt": "none"}), cbor2.dumps([1]), b"\x5b" + b"\xff" * 8]
)
def test_attestations_that_no_browser_makes(world: World, browser: BrowserSession, sent: bytes) -> None:
    asked = browser.call("POST", "/session/passkeys/challenge", {"password": world.owner_password})
    answer = Passkey().attested(asked["options"])
    answer["response"]["attestationObject"] = packed(sent)
    assert browser.call("POST", "/session/passkeys", {"name": "Phone", "answer": answer}) == "passkey.unreadable"


@pytest.mark.parametrize(
    "sent", [b"", b"[]", b"{}", b"[" * 9000, b'{"challenge": 5}', b"\xff\xfe", b'{"challenge": "%%%"}']
)
def test_client_data_that_no_browser_makes(world: World, passkey: Passkey, sent: bytes) -> None:
    browser = BrowserSession(world)
    answer = passkey.asserted(browser.call("POST", "/session/passkey/challenge")["options"])
    answer["response"]["clientDataJSON"] = packed(sent)
    assert browser.call("POST", "/session/passkey", answer) in ("passkey.unreadable", "challenge.over")


@pytest.mark.parametrize("part", ["authenticatorData", "signature", "userHandle"])
def test_parts_that_no_browser_makes(world: World, passkey: Passkey, part: str) -> None:
    browser = BrowserSession(world)
    for sent in (b"", b"\x00", b"\xff" * 37, b"\x30" * 70, bytes(36) + b"\x85"):
        answer = passkey.asserted(browser.call("POST", "/session/passkey/challenge")["options"])
        answer["response"][part] = packed(sent)
        got = browser.call("POST", "/session/passkey", answer)
        if not (part == "userHandle" and not sent):
            assert got in ("passkey.wrong", "passkey.unreadable"), sent
