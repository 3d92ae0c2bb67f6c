"""People by command line: invited, given a role, disabled, reset; and one's own password."""

from __future__ import annotations

import pytest
from sqlalchemy import select, update

from rampa.client import Client
from rampa.client.connection import Connection
from rampa.client.people.sign_in import ask_browser
from rampa.db import PasskeyRow, PersonRow, SignInRequestRow, TokenRow
from rampa.operations.people import sessions
from rampa.schema.sign_in import SignInRequest
from tests.cli.conftest import Said
from tests.conftest import OWNER, World
from tests.factors import SECRET as FACTOR
from tests.factors import code_at, known_secret
from tests.refusals import refuses

OSKARI, SECRET, FRESH = "oskari@quillback.example", "a long enough password", "quite another password"


def code_in(said: str) -> str:
    return next(line for line in said.splitlines() if line.startswith("rampa person accept")).split()[5]


@pytest.fixture
def invited(said: Said, monkeypatch: pytest.MonkeyPatch) -> str:
    """The code that was printed for Oskari, an engineer; what is chosen as a password stands in the environment."""
    monkeypatch.setenv("RAMPA_NEW_PASSWORD", SECRET)
    told = said("person", "invite", OSKARI, "--name", "Oskari")
    assert f"Give this to {OSKARI}; it works once, until " in told
    assert "In a browser: http://rampa.test/invitation" in told
    return code_in(told)


def test_from_an_invitation_to_a_role_and_out(said: Said, world: World, invited: str) -> None:
    assert "engineer, invited" in said("person", "list")
    assert "Sign in: rampa sign-in http://rampa.test" in said("person", "accept", OSKARI, "--code", invited)
    sessions.sign_in(world.services, OSKARI, SECRET)
    assert f"Oskari ({OSKARI}) is tester now." in said("person", "role", OSKARI.upper(), "tester")
    assert "confirm with --yes" in said("person", "disable", OSKARI, code=1)
    assert "is tester, disabled now" in said("person", "disable", OSKARI, "--yes")
    with refuses("sign-in.denied"):
        sessions.sign_in(world.services, OSKARI, SECRET)
    assert "is tester now" in said("person", "enable", OSKARI)
    with refuses("person.unknown", "nobody@quillback.example"):
        said("person", "enable", "nobody@quillback.example")


def test_a_password_is_reset_by_an_owner(
    said: Said, world: World, invited: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    said("person", "accept", OSKARI, "--code", invited)
    assert "confirm with --yes" in said("person", "reset", OSKARI, code=1)
    code = code_in(said("person", "reset", OSKARI, "--yes"))
    monkeypatch.setenv("RAMPA_NEW_PASSWORD", FRESH)
    said("person", "accept", OSKARI, "--code", code)
    sessions.sign_in(world.services, OSKARI, FRESH)


def test_one_s_own_password(said: Said, world: World, client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RAMPA_PASSWORD", "not this one")
    monkeypatch.setenv("RAMPA_NEW_PASSWORD", FRESH)
    with refuses("password.wrong"):
        said("person", "password")
    monkeypatch.setenv("RAMPA_PASSWORD", world.owner_password)
    assert "Sign in again" in said("person", "password")
    sessions.sign_in(world.services, OWNER, FRESH)


def test_a_second_factor_from_adding_to_removing(
    said: Said, world: World, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    token = client.connection.bearer.current()
    monkeypatch.setattr("rampa.client.Client", lambda *_, **__: world._client(token))
    known_secret(monkeypatch)
    monkeypatch.setenv("RAMPA_PASSWORD", world.owner_password)
    monkeypatch.setenv("RAMPA_CODE", code_at(steps=-1))
    told = said("second-factor", "add")
    assert all(part in told for part in ("Scan this with an app", FACTOR, "Keep these spare codes"))
    assert sum(told.count(sign) for sign in "█▀▄") > 300
    spare = [line for line in told.splitlines() if len(line) == 19 and line.count("-") == 3]
    assert len(spare) == 8
    with refuses("factor.wrong", "wrong, or was used"):
        said("second-factor", "confirm")
    monkeypatch.setenv("RAMPA_CODE", code_at())
    assert "Confirmed for five minutes." in said("second-factor", "confirm")
    # An act that matters brings the code by itself, where the terminal or the variable has one.
    age_confirmations(world)
    monkeypatch.delenv("RAMPA_CODE")
    with refuses("confirm.needed", "second factor again"):
        said("person", "role", OWNER, "owner")
    monkeypatch.setenv("RAMPA_CODE", spare[0])
    assert "confirm with --yes" in said("second-factor", "remove", code=1)
    assert "is removed" in said("second-factor", "remove", "--yes")
    assert not client.people.session().person.second_factor


def age_confirmations(world: World) -> None:
    """As if the five minutes had gone."""
    with world.services.db.transaction() as session:
        session.execute(update(TokenRow).values(confirmed_at=None))


def test_a_passkey_is_listed_and_forgotten(said: Said, world: World, client: Client) -> None:
    assert "No passkeys. Add one in the console" in said("second-factor", "passkeys")
    with world.services.db.transaction() as session:
        owner = session.scalars(select(PersonRow)).one()
        now = world.services.now()
        row = PasskeyRow(person_id=owner.id, name="Lost phone", credential=b"x", public_key=b"", created_at=now)
        session.add(row)
    told = said("second-factor", "passkeys")
    assert ("Lost phone" in told, "never" in told) == (True, True)
    with refuses("passkey.unknown", "no passkey 'Tablet'"):
        said("second-factor", "forget", "Tablet")
    told = said("second-factor", "forget", "Lost phone", code=1)
    assert all(part in told for part in ("It no longer signs you in.", "confirm with --yes"))
    assert "Lost phone is removed." in said("second-factor", "forget", "Lost phone", "--yes")
    assert client.people.passkeys() == []


def test_a_person_is_handed_over_to_the_studio_s_sign_in(said: Said, world: World, invited: str) -> None:
    said("person", "accept", OSKARI, "--code", invited)
    assert "the studio's own sign-in vouches for them" in said("person", "provider", OSKARI, code=1)
    assert "is engineer, by the studio's sign-in now" in said("person", "provider", OSKARI, "--yes")
    with refuses("sign-in.denied"):
        sessions.sign_in(world.services, OSKARI, SECRET)


def test_a_machine_is_signed_in_by_a_browser(said: Said, world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    def allowed_at_once(connection: Connection, name: str) -> SignInRequest:
        request = ask_browser(connection, name)
        with world.services.db.transaction() as session:
            owner = session.scalars(select(PersonRow.id)).one()
            session.execute(update(SignInRequestRow).values(person_id=owner, allowed=True))
        return request

    monkeypatch.setattr("rampa.client.people.sign_in.ask_browser", allowed_at_once)
    told = said("sign-in", "http://rampa.test", "--browser")
    assert "Open http://rampa.test/allow?code=" in told
    assert "and allow the code " in told
    assert "Signed in at http://rampa.test as " in told
