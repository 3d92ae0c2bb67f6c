"""Deliveries for tests: a title with a root of two of three holders, builds on a channel for everybody, a mirror to steal."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import httpx
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.client import Client
from rampa.client.delivery.origins import Address, Origins, Patience
from rampa.client.delivery.targets import open_target
from rampa.client.delivery.writer import WriteReport, write_delivery
from rampa.core.ambient import Clock
from rampa.core.install.file_delivery import fetch_signed
from rampa.core.trust import root as root_format
from rampa.db import find_build
from rampa.operations.base import Services, begin
from rampa.operations.delivery.publish import publish_due
from rampa.operations.updates import difference_set
from rampa.schema.trust import RootDraftIn, RootHolder, Trust
from rampa.standin.device import DeviceIdentity, SimulatedDevice
from rampa.standin.trusted import TrustedDevice
from rampa.system import CLOCK
from tests.samples import add_key, build, change_folder, import_title, make_folder

TITLE, IDENTIFIER, CHANNEL = "peatlight", "example.quillback.peatlight", "early"
HOLDERS = {
    name: Ed25519PrivateKey.from_private_bytes(bytes([50 + i]) * 32)
    for i, name in enumerate(("Vendla", "Aino", "Oskar"))
}
HASTY = Patience(silence=1.0, rate=2_000, window=0.3, rest=10)
Answer = Callable[[str, httpx.Request], httpx.Response | None]


def draft(
    client: Client, names: Sequence[str] = tuple(HOLDERS), threshold: int = 2, *, new_keys: bool = False
) -> bytes:
    holders = [RootHolder(holder=n, public=HOLDERS[n].public_key().public_bytes_raw().hex()) for n in names]
    return client.delivery.draft_root(TITLE, RootDraftIn(holders=holders, threshold=threshold, new_keys=new_keys))


def signed(data: bytes, *names: str) -> bytes:
    made = root_format.read_draft(data)
    for name in names:
        made, _ = root_format.sign_draft(made, HOLDERS[name])
    return root_format.write_draft(made)


def hold_ceremony(client: Client, *, new_keys: bool = False) -> Trust:
    return client.delivery.publish_root(TITLE, signed(draft(client, new_keys=new_keys), "Vendla", "Oskar"))


def place(client: Client, number: int, channel: str = CHANNEL) -> None:
    client.channels.place(TITLE, channel, number, client.channels.preview(TITLE, channel, number).etag)


def fill(client: Client, services: Services, root: Path) -> None:
    """Builds 1 to 3; 1 is on the channel for everybody, 3 on one by invitation; the title has its root."""
    add_key(client)
    import_title(client)
    folder = make_folder(root / "source", 300_000)
    build(client, folder, root / "state")
    change_folder(folder)
    build(client, folder, root / "state")
    (folder / "data/fog.bin").write_bytes(b"fog" * 9000)
    build(client, folder, root / "state")
    place(client, 1)
    place(client, 3, "testers")
    hold_ceremony(client)
    publish_due(services)


def update_placed(client: Client, services: Services) -> None:
    """Build 2 follows on the channel, with differences from 1."""
    place(client, 2)
    with begin(services) as uow:
        ids = [str(find_build(uow.session, TITLE, number).id) for number in (2, 1)]
    difference_set.make(services, *ids)
    publish_due(services)


def written(client: Client, folder: Path) -> WriteReport:
    return write_delivery(client, TITLE, open_target(str(folder), IDENTIFIER))


@dataclass
class MirrorServer:
    """A folder as a web server hands it out; `answer` may say something else. `asked`: the names, in their order."""

    folder: Path
    answer: Answer = lambda name, request: None
    asked: list[str] = field(default_factory=list)

    def __call__(self, request: httpx.Request) -> httpx.Response:
        name = request.url.path.partition(f"{IDENTIFIER}/")[2]
        self.asked.append(name)
        said = self.answer(name, request)
        return said if said is not None else self.honest(name, request)

    def honest(self, name: str, request: httpx.Request) -> httpx.Response:
        file = self.folder / IDENTIFIER / name
        return answered(file.read_bytes(), request) if file.is_file() else httpx.Response(404)


def answered(data: bytes, request: httpx.Request) -> httpx.Response:
    span = re.fullmatch(r"bytes=(\d+)-(\d+)", request.headers.get("Range", ""))
    if span is None:
        return httpx.Response(200, content=iter((data,)))
    return httpx.Response(206, content=iter((data[int(span[1]) : int(span[2]) + 1],)))


def origins(servers: dict[str, MirrorServer], clock: Clock = CLOCK, **more: object) -> Origins:
    """One origin a server, in their order."""

    def route(request: httpx.Request) -> httpx.Response:
        return servers[request.url.host](request)

    http = httpx.Client(transport=httpx.MockTransport(route))
    addresses = [Address(f"http://{host}", i) for i, host in enumerate(servers)]
    return Origins(IDENTIFIER, addresses, clock, patience=HASTY, http=http, **more)  # type: ignore[arg-type]


def new_device(client: Client, folder: Path, number: str = "a1") -> TrustedDevice:
    """Follows the channel for everybody, with the root that it was told once."""
    found = client.titles.get(TITLE)
    who = DeviceIdentity(
        folder.name, TITLE, found.identifier, "linux", CHANNEL, "http://gone.test", found.manifest_key, number
    )
    folder.mkdir(parents=True)
    device = TrustedDevice(SimulatedDevice.add(folder, who))
    device.begin(client.delivery.trusted_start(TITLE, CHANNEL))
    return device


def install(device: TrustedDevice, places: Origins, now: dt.datetime | None = None) -> int:
    """As `rampa device update` does it, from files alone."""
    line = device.look(places, now or dt.datetime.now(dt.UTC))
    wanted = device.wanted(line)
    envelope = fetch_signed(places, wanted.statement)
    delivery = device.delivery(wanted, places, envelope)
    device.device.install(envelope, delivery, lambda _: None, back=wanted.offered.back)
    assert device.device.verify(lambda _: None) == []
    return device.device.installed_build() or 0
