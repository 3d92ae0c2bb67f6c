"""Roles of people at single titles: more and less than in the studio, by token and by session, and what they do not reach."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID

import pytest

from rampa.client import Client
from rampa.core.placement.gates import GateKind
from rampa.db import PersonRow
from rampa.operations.base import Actor, begin
from rampa.operations.people import sessions, tokens
from rampa.operations.people.membership import still_in
from rampa.operations.people.ranks import at_title
from rampa.operations.releases import schedule
from rampa.schema.channels import GateIn, GatesIn, NewChannel
from rampa.schema.common import Role
from rampa.schema.people import NewPerson, NewToken, PersonChange
from rampa.schema.schedule import NewScheduled
from tests.cli.conftest import Said, said
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder

__all__ = ["said"]
TITLE, OTHER = "peatlight", "pocket"
PASSWORD = "a long enough password"


@pytest.fixture
def titles(client: Client) -> Client:
    import_title(client)
    import_title(client, DOCUMENT.replace("peatlight", "pocket").replace("Peatlight", "Pocket"))
    return client


def somebody(client: Client, name: str, role: Role) -> str:
    person = NewPerson(name=name, email=f"{name.lower()}@quillback.example", role=role, password=PASSWORD)
    return client.people.add(person).id


def of(world: World, name: str, role: Role | None = None) -> Client:
    """Signed in anew, with a token of as much as they may, or of a role."""
    session, _ = sessions.sign_in(world.services, f"{name.lower()}@quillback.example", PASSWORD)
    actor = Actor(UUID(session.person.id), name, session.person.role)
    return world._client(tokens.make_token(world.services, actor, NewToken(name="test", role=role, days=1)).secret)


def test_more_at_one_title_and_no_more_elsewhere(titles: Client, world: World) -> None:
    oskari = somebody(titles, "Oskari", Role.VIEWER)
    before = of(world, "Oskari")
    titles.people.set_title_role(OTHER, oskari, Role.ENGINEER)
    with of(world, "Oskari") as client:
        assert "press" in [c.name for c in client.channels.add(OTHER, NewChannel(name="press"))]
        with refuses("role.denied", "a viewer may not change a title's channels"):
            client.channels.add(TITLE, NewChannel(name="press"))
        for call in (
            lambda: add_key(client),
            lambda: client.variables.all(),
            lambda: client.people.set_title_role(OTHER, oskari, Role.OWNER),
            lambda: import_title(client, DOCUMENT.replace("peatlight", "third").replace("Peatlight", "Third")),
        ):
            with refuses("role.denied"):
                call()
        assert client.people.session().titles == {OTHER: Role.ENGINEER}
    # A token that was made as a viewer's stays one, also there.
    with before, refuses("role.denied"):
        before.channels.add(OTHER, NewChannel(name="desk"))
    with of(world, "Oskari", Role.VIEWER) as client, refuses("role.denied"):
        client.channels.add(OTHER, NewChannel(name="desk"))


def test_less_at_one_title(titles: Client, world: World) -> None:
    vendla = somebody(titles, "Vendla", Role.ENGINEER)
    earlier = of(world, "Vendla")
    titles.people.set_title_role(TITLE, vendla, Role.VIEWER)
    with earlier:
        with refuses("role.denied", "a viewer may not"):
            earlier.channels.add(TITLE, NewChannel(name="press"))
        assert earlier.titles.get(TITLE).slug == TITLE
        earlier.channels.add(OTHER, NewChannel(name="press"))
        titles.people.drop_title_role(TITLE, vendla)
        earlier.channels.add(TITLE, NewChannel(name="press"))
    with refuses("role.none"):
        titles.people.drop_title_role(TITLE, vendla)


def test_an_owner_of_one_title_gives_roles_there_and_touches_no_machine(titles: Client, world: World) -> None:
    lead, other = somebody(titles, "Lumi", Role.VIEWER), somebody(titles, "Oskari", Role.VIEWER)
    titles.people.set_title_role(TITLE, lead, Role.OWNER)
    with of(world, "Lumi") as client:
        client.channels.set_gates(TITLE, "public", GatesIn(gates=[GateIn(kind=GateKind.CLEAN)]))
        found = client.people.set_title_role(TITLE, other, Role.ENGINEER)
        assert [(p.name, p.here, p.given_by) for p in found.items] == [
            ("Iida", "owner", ""), ("Lumi", "owner", "Iida"), ("Oskari", "engineer", "Lumi"),
        ]  # fmt: skip
        with refuses("role.everywhere", "Iida is the owner in the studio"):
            client.people.set_title_role(TITLE, found.items[0].id, Role.VIEWER)
        for call in (
            lambda: client.people.set_title_role(OTHER, other, Role.ENGINEER),
            lambda: client.people.change(other, PersonChange(role=Role.OWNER)),
            lambda: client.connection.request("PUT", f"/api/v1/titles/{TITLE}/sandbox", content=b"{}"),
        ):
            with refuses("role.denied"):
                call()


def test_who_can_have_one(titles: Client, world: World) -> None:
    tester = somebody(titles, "Taimi", Role.TESTER)
    with refuses("role.everywhere", "Taimi is a tester in the studio"):
        titles.people.set_title_role(TITLE, tester, Role.ENGINEER)
    oskari = somebody(titles, "Oskari", Role.VIEWER)
    for role in (Role.TESTER, Role.REVIEWER, Role.AGENT):
        with refuses("role.title"):
            titles.people.set_title_role(TITLE, oskari, role)
    titles.people.set_title_role(TITLE, oskari, Role.OWNER)
    # Who only tests from now on has lost what a title said of them, too.
    titles.people.change(oskari, PersonChange(role=Role.TESTER))
    with of(world, "Oskari") as client, refuses("role.denied"):
        client.channels.all(TITLE)
    with refuses("title.unknown"):
        titles.people.set_title_role("fog", oskari, Role.VIEWER)
    with refuses("person.unknown"):
        titles.people.set_title_role(TITLE, "00000000-0000-0000-0000-000000000000", Role.VIEWER)


def test_what_is_watched_ends_with_the_role(titles: Client, world: World) -> None:
    oskari = somebody(titles, "Oskari", Role.VIEWER)
    titles.people.set_title_role(TITLE, oskari, Role.ENGINEER)
    with world.services.db.transaction() as session:
        person = session.get_one(PersonRow, UUID(oskari))
    actor = at_title(world.services, Actor(person.id, "Oskari", Role.VIEWER), person, TITLE)
    with begin(world.services, actor) as uow:
        assert (actor.role, still_in(uow)) == (Role.ENGINEER, True)
    titles.people.drop_title_role(TITLE, oskari)
    with begin(world.services, actor) as uow:
        assert not still_in(uow)


def test_approvals_and_what_is_scheduled_go_by_the_role_there(titles: Client, world: World, tmp_path: Path) -> None:
    add_key(titles)
    build(titles, make_folder(tmp_path / "title", 1000), tmp_path / "state")
    titles.channels.set_gates(TITLE, "testers", GatesIn(gates=[GateIn(kind=GateKind.APPROVED, count=1)]))
    oskari, vendla = somebody(titles, "Oskari", Role.VIEWER), somebody(titles, "Vendla", Role.ENGINEER)
    titles.people.set_title_role(TITLE, oskari, Role.ENGINEER)
    with of(world, "Oskari") as client:
        client.channels.approve(TITLE, "testers", 1)
    gate = lambda: titles.channels.preview(TITLE, "testers", 1).gates[0].state  # noqa: E731
    assert gate() == "passed"
    titles.people.set_title_role(TITLE, oskari, Role.VIEWER)
    assert gate() == "closed"
    with of(world, "Vendla") as client:
        client.channels.approve(TITLE, "testers", 1)
        assert gate() == "passed"
        client.schedule.add(TITLE, NewScheduled(channel="studio", build=1, at=None))
    titles.people.set_title_role(TITLE, vendla, Role.VIEWER)
    assert gate() == "closed"
    assert schedule.place_due(world.services) == 0
    (scheduled,) = titles.schedule.all(TITLE, over=True)
    assert (scheduled.state, "a viewer may not place builds" in scheduled.said) == ("refused", True)


def test_by_command_line(titles: Client, said: Said) -> None:
    somebody(titles, "Oskari", Role.VIEWER)
    shown = said("person", "role", "oskari@quillback.example", "engineer", "--title", TITLE)
    assert ("engineer" in shown, "Iida, " in shown) == (True, True)
    assert "at pocket" in said("person", "list", "--title", OTHER)
    assert "as in the studio" in said("person", "end-role", "oskari@quillback.example", "--title", TITLE)
