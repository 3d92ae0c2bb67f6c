"""A crew of testers for tests: a title with a build on its channel, a group, letters that are read, people who join."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

import httpx

from rampa.client import Client
from rampa.client.connection import Connection
from rampa.client.devices.bearer import DeviceBearer
from rampa.operations.testers import letters
from rampa.schema.testers import AccessIn, AddressesIn, JoinAccept, NewGroup
from rampa.standin.device import SimulatedDevice, new_identity
from tests.conftest import Standing, World
from tests.samples import add_key, build, import_title, make_folder

TITLE, GROUP, CHANNEL = "peatlight", "night-crew", "testers"
ORIGIN = "https://rampa.quillback.example"
PASSWORD = "lanterns in the fog"
CHECKLISTS = """\
[checklists.night]
title = "One night on the bog"
platforms = ["linux", "windows"]
purposes = ["testing", "release"]

[[checklists.night.points]]
name = "title-screen"
text = { en = "Alder Halt shows within five seconds.", fi = "Alder Halt näkyy viidessä sekunnissa." }

[[checklists.night.points]]
name = "fog"
text = "The fog at Marrow Bend hides the wagons."
picture = true

[[checklists.night.points]]
name = "thaw"
text = "The thaw gate opens at dawn."

[checklists.pocket]
platforms = ["ios", "android"]

[[checklists.pocket.points]]
name = "touch"
text = "Wagons follow the finger."
"""


@dataclass
class Crew:
    """`now` may be moved: it is the service's clock. Letters that went are in `letters`, as (to, subject, text)."""

    world: World
    client: Client
    letters: list[tuple[str, str, str]] = field(default_factory=list)

    def send(self) -> int:
        return letters.send_due(self.world.services, lambda to, subject, text: self.letters.append((to, subject, text)))

    def invite(self, *lines: str, group: str = GROUP) -> list[str]:
        """The codes of the links in the letters, in the order of the lines."""
        before = len(self.letters)
        self.client.testers.invite(TITLE, group, AddressesIn(addresses="\n".join(lines)))
        self.send()
        return [code_in(text) for _, _, text in self.letters[before:]]

    def join(self, email: str, name: str = "Kaisa") -> Client:
        """Somebody new who accepts, signed in with a token."""
        (code,) = self.invite(f"{name} <{email}>")
        self.unknown().testers.join(JoinAccept(code=code, name=name, password=PASSWORD))
        return self.signed_in(email)

    def unknown(self) -> Client:
        return self.world._unknown()

    def signed_in(self, email: str, password: str = PASSWORD) -> Client:
        http = self.world.app.test_client()  # type: ignore[attr-defined]
        session = http.post("/api/v1/session", json={"email": email, "password": password})
        assert session.status_code == 201, session.text
        headers = {"X-CSRF-Token": session.json["csrf_token"]}
        made = http.post("/api/v1/tokens", json={"name": "telephone"}, headers=headers)
        return self.world._client(made.json["secret"])

    def device(self, of: Client, folder: Path, platform: str = "linux", name: str = "") -> SimulatedDevice:
        """Registered by a code of its person's, with a key of its own."""
        return self.device_by(of.testers.registration_code(TITLE, CHANNEL).code, folder, platform, name)

    def device_by(self, code: str, folder: Path, platform: str = "linux", name: str = "") -> SimulatedDevice:
        asked, key = new_identity(code, name or folder.name, platform, "")
        made = self.unknown().devices.register_by_code(asked)
        return SimulatedDevice.add_registered(folder, made, asked, "http://rampa.test", key)

    @contextmanager
    def calling(self, device: SimulatedDevice) -> Iterator[Client]:
        """The service, as this device calls it."""
        bearer = DeviceBearer(self.unknown(), device.identity.device_id, device.key(), device.count)
        transport = httpx.WSGITransport(app=self.world.app, raise_app_exceptions=False)  # type: ignore[arg-type]
        at = "http://rampa.test"
        with Client(at, connection=Connection(at, bearer=bearer, transport=transport, patience=0)) as client:
            yield client


def code_in(text: str) -> str:
    found = re.search(rf"{ORIGIN}/join#(\S+)", text)
    assert found, text
    return found[1]


def make_crew(world: World, client: Client, standing: Standing) -> Crew:
    """Of a world that stands: letters need to know where the console is."""
    world.services = replace(world.services, origin=ORIGIN)
    standing.now_in = world.services
    return Crew(world, client)


def fill(client: Client, root: Path) -> None:
    """Build 1 is on the channel of the group, build 2 on none."""
    add_key(client)
    import_title(client)
    folder = make_folder(root / "source", 300_000)
    build(client, folder, root / "state")
    (folder / "data/late.txt").write_text("late")
    build(client, folder, root / "state")
    seen = client.channels.preview(TITLE, CHANNEL, 1)
    client.channels.place(TITLE, CHANNEL, 1, seen.etag)
    client.testers.add_group(TITLE, NewGroup(name=GROUP))
    client.testers.give_access(TITLE, CHANNEL, AccessIn(group=GROUP))
