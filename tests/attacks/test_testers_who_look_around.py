"""A tester, or a stolen device of theirs, who looks for more than was given; one who was withdrawn, with all they had."""

from __future__ import annotations

from pathlib import Path

import pytest
from flask import Flask
from werkzeug.test import TestResponse

from rampa.client import Client
from rampa.schema.common import Role
from rampa.schema.people import NewToken
from rampa.schema.testers import AccessIn, JoinAccept
from tests.conftest import Begun, Standing, World
from tests.refusals import refuses
from tests.service.test_access import EXPECTED, filled, routes
from tests.testing import CHANNEL, GROUP, ORIGIN, PASSWORD, TITLE, Crew, fill, make_crew

KAISA = "kaisa@kilnyard.example"


@pytest.fixture
def crew(world: World, client: Client, begun: Begun, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    def fill_it() -> None:
        fill(client, tmp_path)

    begun(fill_it)
    return make_crew(world, client, standing[0])


def answer(crew: Crew, method: str, path: str, token: str) -> TestResponse:
    app = crew.world.app
    assert isinstance(app, Flask)
    headers = {"Authorization": f"Bearer {token}"}
    return app.test_client().open(path, method=method, json={}, headers=headers)


def status(crew: Crew, method: str, path: str, token: str) -> int:
    return answer(crew, method, path, token).status_code


def code(crew: Crew, method: str, path: str, token: str) -> str:
    return str((answer(crew, method, path, token).json or {}).get("code"))


def test_a_tester_is_answered_by_their_own_routes_alone(crew: Crew) -> None:
    """On real objects: their title, their channel, the build that they may install, one that they may not."""
    kaisa = crew.join(KAISA)
    token = kaisa.connection.bearer.current()
    answered = set()
    for route in routes(crew.world):
        method, rule = route.split(" ", 1)
        if EXPECTED[route] in ("public", "ticket") or route == "DELETE /api/v1/session":
            continue
        at = filled(rule).replace("/channels/studio", f"/channels/{CHANNEL}")
        if status(crew, method, at, token) not in (403, 404):
            answered.add(rule.removeprefix("/api/v1"))
    own = {rule for rule in answered if rule.startswith(("/session", "/tokens", "/testing"))}
    assert answered == own
    assert {"/testing", "/testing/devices"} <= answered
    # The same routes about what they were not given.
    for path, said in (
        (f"/testing/titles/{TITLE}/channels/{CHANNEL}/builds/2", "testing.gone"),
        (f"/testing/titles/{TITLE}/channels/studio/builds/1", "testing.none"),
        (f"/testing/titles/fogbound/channels/{CHANNEL}/builds/1", "testing.none"),
    ):
        assert code(crew, "GET", f"/api/v1{path}", token) == said
        assert code(crew, "POST", f"/api/v1{path}/address", token) == said
    assert status(crew, "POST", f"/api/v1/testing/titles/{TITLE}/channels/studio/registration", token) == 404


def test_a_tester_makes_no_token_that_may_more(crew: Crew) -> None:
    kaisa = crew.join(KAISA)
    for role in (Role.VIEWER, Role.ENGINEER, Role.OWNER):
        with refuses("role.denied"):
            kaisa.people.make_token(NewToken(name="more", role=role))
    for role in (Role.AGENT, Role.DEVICE):
        with refuses("role.machine"):
            kaisa.people.make_token(NewToken(name="a machine's", role=role))


def test_an_engineer_s_token_for_a_tester_sees_what_the_engineer_was_given_to_test(crew: Crew) -> None:
    made = crew.client.people.make_token(NewToken(name="telephone", role=Role.TESTER))
    narrow = crew.world._client(made.secret)
    assert narrow.testers.testing().titles == []
    crew.client.testers.add_member(TITLE, GROUP, "iida@quillback.example")
    assert [t.title for t in narrow.testers.testing().titles] == [TITLE]
    with refuses("role.denied"):
        narrow.titles.all()


def test_a_stolen_device_reads_its_channel_and_nothing_else(crew: Crew, tmp_path: Path) -> None:
    device = crew.device(crew.join(KAISA), tmp_path / "loft-desk")
    with crew.calling(device) as calls:
        calls.builds.statement(TITLE, 1)
        token = calls.connection.bearer.current()
    got = set()
    for route in routes(crew.world):
        method, rule = route.split(" ", 1)
        if EXPECTED[route] in ("public", "ticket"):
            continue
        at = (
            filled(rule)
            .replace("/channels/studio", f"/channels/{CHANNEL}")
            .replace("/devices/desk", "/devices/loft-desk")
        )
        if status(crew, method, f"{at}?platform=linux", token) not in (403, 404):
            got.add(route)
    assert all("d" in EXPECTED[route] for route in got)
    for path in ("builds/2/statement", "builds/2/locations", "channels/studio/offer?platform=linux"):
        assert code(crew, "GET", f"/api/v1/titles/{TITLE}/{path}", token) == "device.scope"
    assert status(crew, "PUT", f"/api/v1/titles/{TITLE}/devices/another/report", token) == 404


def test_who_is_withdrawn_is_out_everywhere_at_once(crew: Crew, tmp_path: Path) -> None:
    kaisa = crew.join(KAISA)
    crew.client.testers.give_access(TITLE, "studio", AccessIn(email=KAISA))
    device = crew.device(kaisa, tmp_path / "loft-desk")
    http = crew.world.app.test_client()  # type: ignore[attr-defined]
    assert http.post("/api/v1/session", json={"email": KAISA, "password": PASSWORD}).status_code == 201
    address = kaisa.testers.download_address(TITLE, CHANNEL, 1).address.removeprefix(ORIGIN)
    unused = kaisa.testers.registration_code(TITLE, CHANNEL).code
    with crew.calling(device) as calls:
        calls.builds.statement(TITLE, 1)
        (tester,) = crew.client.testers.all(TITLE)
        crew.client.testers.withdraw(TITLE, tester.id)
        with refuses("device.unknown-key"):
            calls.builds.statement(TITLE, 1)
    with refuses("token.unknown-bearer"):
        kaisa.testers.testing()
    assert http.get("/api/v1/testing").status_code == 401
    assert http.get(address).json["code"] == "download.withdrawn"
    assert http.post("/api/v1/session", json={"email": KAISA, "password": PASSWORD}).status_code == 401
    with refuses("device.no-access"):
        crew.device_by(unused, tmp_path / "late")
    assert list(crew.client.testers.all(TITLE)) == []
    with refuses("tester.unknown"):
        crew.client.testers.withdraw(TITLE, tester.id)
    # Invited again, they choose a new password; the old one opens nothing.
    (invited,) = crew.invite(KAISA)
    assert crew.unknown().testers.look(invited).known is False
    crew.unknown().testers.join(JoinAccept(code=invited, password="quite another one"))
    assert http.post("/api/v1/session", json={"email": KAISA, "password": PASSWORD}).status_code == 401
    again = crew.signed_in(KAISA, "quite another one")
    assert [c.channel for c in again.testers.testing().titles[0].channels] == [CHANNEL]
    assert again.testers.own_devices() == []


def test_a_device_of_who_lost_one_channel_is_told_so(crew: Crew, tmp_path: Path) -> None:
    kaisa = crew.join(KAISA)
    device = crew.device(kaisa, tmp_path / "loft-desk")
    with crew.calling(device) as calls:
        calls.builds.statement(TITLE, 1)
        (given,) = crew.client.testers.access(TITLE, CHANNEL)
        crew.client.testers.take_access(TITLE, CHANNEL, given.id)
        with refuses("device.withdrawn", "the access of loft-desk was taken away"):
            calls.builds.statement(TITLE, 1)


def test_a_download_s_address_is_for_what_it_says_and_nothing_else(crew: Crew) -> None:
    kaisa = crew.join(KAISA)
    address = kaisa.testers.download_address(TITLE, CHANNEL, 1).address.removeprefix(ORIGIN)
    http = crew.world.app.test_client()  # type: ignore[attr-defined]
    before, ticket, name = address.rsplit("/", 2)
    assert http.get(f"{before}/{ticket}/another-name.zip").status_code == 200, "the name is for people"
    for at in (0, 20, 40, len(ticket) - 2):
        other = "A" if ticket[at] != "A" else "B"
        changed = ticket[:at] + other + ticket[at + 1 :]
        assert http.get(f"{before}/{changed}/{name}").json["code"] == "download.foreign"
    # An invitation's code is signed, too, by another label: it opens no download.
    (invited,) = crew.invite("onni@kilnyard.example")
    assert http.get(f"{before}/{invited}/{name}").json["code"] == "download.foreign"
