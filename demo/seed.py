"""Fills an empty service with the demo, by the client library alone: `python -m demo.seed FOLDER ADDRESS EMAIL`.

The password comes from RAMPA_PASSWORD. Everything is made up; the device is simulated and says so.
"""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import io
import os
import re
import secrets
import sys
import time
from email import message_from_bytes
from email.policy import default
from pathlib import Path

from PIL import Image

from demo.ceremony import hold
from demo.peatlight.documents import CHECKLISTS, hurried
from demo.peatlight.tree import make_all
from demo.runs import fill_with_runs
from demo.storefronts import connect_all
from demo.studio import tell
from rampa.client import Client
from rampa.client.builds.maker import make_build
from rampa.client.devices.delivery import HttpDelivery, device_report
from rampa.client.listings.folder import read_folder, send_folder
from rampa.client.people.sign_in import token_for
from rampa.client.signing.drill import restore_drill
from rampa.core.signing import identity
from rampa.core.testers.sign_off import PointVerdict
from rampa.schema.common import Role
from rampa.schema.people import NewPerson
from rampa.schema.sign_offs import SignOffIn, TickIn
from rampa.schema.signing.identities import NewKey
from rampa.schema.testers import AccessIn, AddressesIn, JoinAccept, NewGroup
from rampa.standin.device import SimulatedDevice, new_identity

PEOPLE = (
    ("Oskari", Role.ENGINEER),
    ("Marisol", Role.TESTER),
    ("Rauni", Role.REVIEWER),
    ("Tuuli", Role.VIEWER),
)
INVITED = ("Kaisa", "Onni", "Vendla")
KEY = "quillback-2026"
STUDIO = "Quillback Works"


def main(folder: Path, address: str, email: str) -> None:
    folders = make_all(folder)
    _, token = token_for(address, email, os.environ["RAMPA_PASSWORD"], "demo seed")
    with Client(address, token.secret) as client:
        for name, role in PEOPLE:
            password = secrets.token_urlsafe(12)
            client.people.add(
                NewPerson(name=name, email=f"{name.lower()}@quillback.example", role=role, password=password)
            )
        _keys(client, folder)
        document = (folders["1.4.0"] / "rampa.toml").read_text()
        client.titles.add(document, "The first profile document.")
        first = _build(client, "linux-release", folders["1.4.0"], "First night on the bog. Try the fog at Marrow Bend.")
        windows = _build(client, "windows-release", folders["1.4.0"], "The same night, on Windows.")
        _build(client, "linux-testing", folders["1.4.0"], "Unsigned, for a quick look.")
        for number, channel in ((first, "studio"), (first, "testers"), (windows, "studio"), (first, "early")):
            client.channels.place(
                "peatlight", channel, number, client.channels.preview("peatlight", channel, number).etag
            )
        for name in ("loft-desk", "kiln-laptop"):
            _device(client, folder, name, address)
        client.sign_offs.set_checklists("peatlight", CHECKLISTS)
        _testers(client, folder.parent / "service" / "mailbox", address)
        client.titles.revise("peatlight", hurried(), "Phones, tablets and headsets. To be looked over on Monday.", 1)
        newer = (folders["1.5.0"] / "rampa.toml").read_text()
        client.titles.revise("peatlight", newer, "Version 1.5.0: the thaw gate; what the checks found is fixed.", 2)
        there = read_folder(folders["1.5.0"] / "listing")
        send_folder(client.listings, "peatlight", there, "The listing for every storefront.", "", 0, lambda *_: None)
        fill_with_runs(client, folder, address)
        hold(client, folder)
        tell(client)
        connect_all(client, os.environ.get("RAMPA_DEMO_STOREFRONTS", ""))
        client.people.revoke_token(token.id)


def _testers(client: Client, mailbox: Path, address: str) -> None:
    """A group with access to the channel for testers; two of the three invited answer by their letters, and one has played."""
    client.testers.add_group("peatlight", NewGroup(name="night-crew", seats=12))
    client.testers.give_access("peatlight", "testers", AccessIn(group="night-crew"))
    asked = AddressesIn(addresses="\n".join(f"{name} <{name.lower()}@kilnyard.example>" for name in INVITED))
    client.testers.invite("peatlight", "night-crew", asked)
    end = time.monotonic() + 30
    while time.monotonic() < end and len(list(mailbox.glob("*.eml"))) < len(INVITED):
        time.sleep(0.2)  # the worker of the queue writes them
    for file in sorted(mailbox.glob("*.eml")):
        letter = message_from_bytes(file.read_bytes(), policy=default)
        code = re.search(r"/join#(\S+)", letter.get_content())
        if code and not str(letter["To"]).startswith("vendla"):
            password = secrets.token_urlsafe(12)
            client.testers.join(JoinAccept(code=code[1], password=password))
            if str(letter["To"]).startswith("kaisa"):
                _plays(address, str(letter["To"]), password)


def _plays(address: str, email: str, password: str) -> None:
    """The first build has a point that failed; on the next one it comes first."""
    session, token = token_for(address, email, password, "demo seed")
    at = ("peatlight", "testers", 1)
    with Client(address, token.secret) as kaisa:
        picture = io.BytesIO()
        Image.effect_mandelbrot((640, 400), (-2.0, -1.2, 1.0, 1.2), 60).save(picture, "PNG")
        seen = kaisa.sign_offs.add_picture(*at, picture.getvalue()).id
        ticks = [
            TickIn(point="title-screen", verdict=PointVerdict.PASSED),
            TickIn(point="fog", verdict=PointVerdict.PASSED, pictures=[seen]),
            TickIn(
                point="thaw",
                verdict=PointVerdict.FAILED,
                note="It stays shut until noon. The wagons queue up to Kiln Yard.",
            ),
        ]
        kaisa.sign_offs.save(
            *at, "night", SignOffIn(ticks=ticks, device=f"{session.person.name}'s desk, Linux", finish=True)
        )
        kaisa.people.revoke_token(token.id)


def _keys(client: Client, folder: Path) -> None:
    """One healthy and backed up; one near its end, which handed over to one that nobody has backed up yet."""
    now = dt.datetime.now(dt.UTC)
    restore_drill(client, KEY, *_key(client, folder, KEY, identity.make(KEY, STUDIO, "ec-p256", now)))
    old = identity.make("lantern-2017", STUDIO, "rsa-2048", now - dt.timedelta(days=365 * 10 - 90), years=10)
    restore_drill(client, "lantern-2017", *_key(client, folder, "lantern-2017", old))
    _key(client, folder, "lantern-2026", identity.make("lantern-2026", STUDIO, "rsa-3072", now))
    client.signing.hand_over("lantern-2017", "lantern-2026")


def _key(client: Client, folder: Path, name: str, made: identity.Identity) -> tuple[bytes, str]:
    """(the demo's own copy, its password); both lie beside the demo's folders."""
    password = secrets.token_urlsafe(12)
    data = identity.to_pkcs12(made, name, password)
    for file, content in ((f"{name}.p12", data), (f"{name}.password.txt", password.encode() + b"\n")):
        fd = os.open(folder / file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(fd, "wb") as out:
            out.write(content)
    client.signing.add(NewKey(name=name, pkcs12=base64.b64encode(data).decode(), password=password, origin="made"))
    return data, password


def _build(client: Client, profile: str, source: Path, notes: str) -> int:
    made = make_build(client, "peatlight", profile, source, notes=notes, state=source.parent / ".state")
    print(f"  {made.build.name} {profile} {made.build.version_name}", flush=True)
    return made.build.number


def _device(client: Client, folder: Path, name: str, address: str) -> None:
    code = client.testers.registration_code("peatlight", "studio").code
    asked, key = new_identity(code, name, "linux", "")
    asked = asked.model_copy(update={"number": hashlib.sha256(name.encode()).hexdigest()[:32]})
    made = client.devices.register_by_code(asked)
    device = SimulatedDevice.add_registered(folder / "devices" / name, made, asked, address, key)
    signed = base64.b64decode(client.channels.offer("peatlight", "studio", "linux").signed)
    build = device.wanted(signed).build
    delivery = HttpDelivery(client, "peatlight", build)
    report = device.update(signed, client.builds.statement("peatlight", build), delivery, lambda _: None)
    client.devices.report("peatlight", name, device_report(build, report))


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2], sys.argv[3])
