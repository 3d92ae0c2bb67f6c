"""People by command line: invited, given a role, disabled, reset; and one's own password."""

from __future__ import annotations

import pytest

from rampa.client import Client
from rampa.operations.people import people
from tests.cli.conftest import Said
from tests.conftest import OWNER, World
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
    people.sign_in(world.services, OSKARI, SECRET)
    assert f"Oskari ({OSKARI}) is tester now." in said("person", "role", OSKARI.upper(), "tester")
    assert "confirm with --yes" in said("person", "disable", OSKARI, code=1)
    assert "is tester, disabled now" in said("person", "disable", OSKARI, "--yes")
    with refuses("sign-in.denied"):
        people.sign_in(world.services, OSKARI, SECRET)
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
    people.sign_in(world.services, OSKARI, FRESH)


def test_one_s_own_password(said: Said, world: World, client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RAMPA_PASSWORD", "not this one")
    monkeypatch.setenv("RAMPA_NEW_PASSWORD", FRESH)
    with refuses("password.wrong"):
        said("person", "password")
    monkeypatch.setenv("RAMPA_PASSWORD", world.owner_password)
    assert "Sign in again" in said("person", "password")
    people.sign_in(world.services, OWNER, FRESH)
