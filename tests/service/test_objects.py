"""Not only which routes a role may call, but on what: whose title, build, run, folder, device, token, passkey. One table;
the status of every object in it with every role is compared."""

from __future__ import annotations

import datetime as dt
import uuid
from dataclasses import dataclass
from pathlib import Path

import pytest
from flask import Flask

from rampa.client import Client
from rampa.client.sources.folders import upload_folder
from rampa.db import PasskeyRow, PersonRow, TokenRow
from rampa.schema.common import Role
from rampa.schema.devices import NewDevice
from rampa.schema.people import NewToken
from rampa.schema.runs import NewRuns
from rampa.standin.device import new_identity
from tests.agents import FakeAgent
from tests.conftest import World
from tests.listings import picture
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder

ALL, FETCH, ENGINEER, NOBODY = "oev", "oevd", "oe", ""
BUILDS = "/titles/peatlight/builds"
CONTENT = ("bundle", "locations", "depots/base/manifest", "content-keys")
TESTING = "/testing/titles/peatlight/channels"

OBJECTS: dict[str, str] = {
    # A build's content is read by those who may see it: what is on a channel, by all who read.
    f"GET {BUILDS}/1/bundle": ALL,
    # A device of the channel gets what it installs, and nothing of builds that are not live there.
    **{f"GET {BUILDS}/1/{part}": FETCH for part in CONTENT[1:]},
    f"GET {BUILDS}/1/statement": FETCH,
    f"GET {BUILDS}/2/statement": ALL,
    "GET /titles/peatlight/channels/studio/offer?platform=linux": FETCH,
    "GET /titles/peatlight/channels/testers/offer?platform=linux": NOBODY,
    "PUT /titles/peatlight/devices/desk/report": ENGINEER,
    **{f"GET {BUILDS}/2/{part}": ENGINEER for part in CONTENT},
    **{f"GET {BUILDS}/3/{part}": ENGINEER for part in CONTENT},
    **{f"GET {BUILDS}/{n}{part}": ALL for n in (1, 2) for part in ("", "/files", "/provenance")},
    # Sources and symbols that never ship.
    "GET /titles/peatlight/folders/1/manifest": ENGINEER,
    "GET /titles/peatlight/folders/1/locations": ENGINEER,
    # The same numbers below another title are nobody's.
    **{f"GET /titles/fogbound/builds/1/{part}": NOBODY for part in CONTENT},
    "GET /titles/fogbound/folders/1/manifest": NOBODY,
    "GET /titles/fogbound/runs/1": NOBODY,
    "GET /titles/fogbound/runs/1/log": NOBODY,
    "POST /titles/fogbound/runs/1/cancel": NOBODY,
    "DELETE /titles/fogbound/devices/desk": NOBODY,
    "POST /titles/fogbound/builds/2/abandon": NOBODY,
    # What a title says of itself before storefronts show it: who reads the studio, and nobody by another title.
    "GET /titles/peatlight/listing": ALL,
    "GET /titles/peatlight/listing/draft": ALL,
    "GET /titles/peatlight/listing/pictures/{listing_picture}": ALL,
    "GET /titles/fogbound/listing/pictures/{listing_picture}": NOBODY,
    "GET /titles/fogbound/listing/states/1": NOBODY,
    "GET /titles/peatlight/builds/1/source-archive": ENGINEER,
    # A run that an agent holds, and one that it does not.
    "GET /titles/peatlight/runs/1": ALL,
    "POST /agents/walker/runs/{lease}/beat": NOBODY,
    "POST /agents/walker/runs/{other_lease}/beat": NOBODY,
    # What belongs to one person: not even its existence is told to another.
    "DELETE /tokens/{token}": "o",
    "DELETE /session/passkeys/{passkey}": "o",
    "GET /session/requests/AAAA-AAAA": NOBODY,
    # A tester without access to a channel finds nothing there; who reads the studio, what is live.
    f"GET {TESTING}/studio/builds/1": ALL,
    f"GET {TESTING}/studio/builds/2": NOBODY,
    f"GET {TESTING}/testers/builds/3": NOBODY,
    f"POST {TESTING}/studio/builds/1/address": ALL,
    f"POST {TESTING}/testers/builds/3/address": NOBODY,
    f"POST {TESTING}/studio/registration": ALL,
    "DELETE /testing/devices/{device}": "o",
    # People are the owner's.
    "PATCH /people/{person}": "o",
    "POST /people/{person}/reset": "o",
}
"""Method and address -> the first letters of the roles that are answered with the thing; the others get 403 or 404."""


@dataclass
class Studio:
    world: World
    names: dict[str, str]

    def status(self, method: str, path: str, token: str) -> int:
        app = self.world.app
        assert isinstance(app, Flask)
        headers = {"Authorization": f"Bearer {token}"}
        return app.test_client().open(f"/api/v1{path}", method=method, json={}, headers=headers).status_code


@pytest.fixture
def studio(world: World, client: Client, tmp_path: Path) -> Studio:
    """Build 1 is on a channel, 2 on none, 3 was withdrawn; another title has nothing; somebody else's run is held by kiln-1."""
    add_key(client)
    import_title(client)
    client.titles.add(DOCUMENT.replace("peatlight", "fogbound").replace("Peatlight", "Fogbound"))
    folder = make_folder(tmp_path / "source", 200_000)
    uploaded = upload_folder(client, "peatlight", folder, "", lambda *_: None)[0].number
    for _ in range(3):
        build(client, folder, tmp_path / "state")
        change_folder(folder)
        (folder / "data").mkdir(exist_ok=True)
        (folder / "data/empty.bin").touch()
        (folder / "locale/suomi.json").rename(folder / "locale/fi.json")
    for number, channel in ((1, "studio"), (3, "testers")):
        seen = client.channels.preview("peatlight", channel, number)
        placed = client.channels.place("peatlight", channel, number, seen.etag)
        if channel == "testers":
            client.rollouts.withdraw("peatlight", channel, placed.number)
    client.devices.register("peatlight", NewDevice(name="desk", channel="studio", platform="linux"))
    agent = FakeAgent(client, world.services, "kiln-1")
    client.runs.start("peatlight", NewRuns(profiles=["linux-release"], folder=uploaded))
    names = {"lease": agent.work().lease, "other_lease": uuid.uuid4().hex}
    names["token"] = client.people.make_token(NewToken(name="the owner's")).id
    with world.services.db.transaction() as session:
        owner = session.query(PersonRow).filter_by(role="owner").one()
        now = dt.datetime.now(dt.UTC)
        row = PasskeyRow(person_id=owner.id, name="Phone", credential=b"x", public_key=b"", created_at=now)
        session.add(row)
        session.flush()
        names |= {"passkey": str(row.id), "person": str(owner.id)}
    code = client.testers.registration_code("peatlight", "studio").code
    asked, _ = new_identity(code, "loft", "linux", "")
    names["device"] = client.devices.register_by_code(asked).device_id
    names["listing_picture"] = client.listings.add_picture("peatlight", picture(64, 48)).digest
    return Studio(world, names)


def test_every_object_with_every_role(studio: Studio) -> None:
    tokens = {role: studio.world.token(role) for role in (*Role,) if role is not Role.OWNER}
    tokens[Role.OWNER] = studio.world.token(Role.OWNER)
    wrong = []
    for row, may in OBJECTS.items():
        method, path = row.split(" ")
        # The owner last: some acts are done once.
        for role, token in tokens.items():
            status = studio.status(method, path.format(**studio.names), token)
            # An agent's refusal says that the run is not its own any more.
            given = status not in ((403, 404, 409) if role is Role.AGENT else (403, 404))
            if given != (role.value[0] in may) or status >= 500:
                wrong.append(f"{row} as {role}: {status}")
    assert not wrong, "\n".join(wrong)
    # What was refused was not done, either.
    with studio.world.services.db.transaction() as session:
        assert session.query(PasskeyRow).count() == 0
        assert session.get(TokenRow, uuid.UUID(studio.names["token"])) is None
