"""Rows of a delivery as files: what a device's look costs, what writing an update costs, a fleet without the service.

Peers: one conditional GET of the same offer, rsync of the same folder, as many plain GETs of as much from the same nginx.
"""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from types import SimpleNamespace
from typing import Any, cast

import httpx
from tests.delivering import HOLDERS, IDENTIFIER, draft, signed
from tests.samples import build, change_folder, make_folder

from bench.rows import Figure, Tree
from bench.runs import TITLE, World, world
from rampa.client import Client
from rampa.client.delivery.origins import Address, Origins
from rampa.client.delivery.targets import FolderTarget, open_target
from rampa.client.delivery.writer import write_delivery
from rampa.core.delivery.line import LineBuild, SignedLine
from rampa.core.delivery.names import file_name
from rampa.core.install.delivery import Delivery
from rampa.core.install.file_delivery import fetch_signed
from rampa.local.delivery_server import DeliveryServer, start_delivery_server
from rampa.local.front import find_nginx, new_folder
from rampa.local.postgres import free_port
from rampa.schema.delivery import DeliveryFile, DeliveryFiles
from rampa.standin.device import DeviceIdentity, SimulatedDevice
from rampa.standin.routes import Routes
from rampa.standin.trusted import TrustedDevice
from rampa.system import CLOCK

CHANNEL = "early"
FILES, CHANGED, DEVICES, AT_ONCE = 100_000, 10, 500, 16
NO_NGINX = "nginx is not here"


@dataclass
class Counter:
    """Requests, and bytes of heads and bodies both ways, as a client sends and gets them."""

    requests: int = 0
    size: int = 0

    def http(self) -> httpx.Client:
        return httpx.Client(trust_env=False, event_hooks={"response": [self._count]})

    def _count(self, response: httpx.Response) -> None:
        heads = (*response.request.headers.raw, *response.headers.raw)
        self.requests += 1
        self.size += sum(len(k) + len(v) + 4 for k, v in heads) + len(response.request.url.raw_path) + 40
        self.size += int(response.headers.get("Content-Length", 0)) if response.status_code != 304 else 0


def refresh(tree: Tree) -> list[Figure]:
    """A device's look where nothing changed, and where a build was placed."""
    if not find_nginx():
        return [Figure(f"metadata-refresh-{row}", 0, None, "B", 3.0, NO_NGINX) for row in ("same", "changed")]
    at = world(tree.scratch)
    with delivered(at, tree.scratch, 1) as (folder, server):
        device = new_device(at, tree.scratch / "looking")
        first, same, changed = Counter(), Counter(), Counter()
        for counter in (first, same):
            with counter.http() as http:
                look(device, server, http)
        write(at, folder, 2)
        with changed.http() as http:
            look(device, server, http)
    plain_same, plain_changed = conditional(at)
    return [
        Figure("metadata-refresh-same", same.size, plain_same.size, "B", 3.0, f"{same.requests} requests beside 1"),
        Figure(
            "metadata-refresh-changed",
            changed.size,
            plain_changed.size,
            "B",
            6.0,
            f"{changed.requests} requests beside 1",
        ),
    ]


def look(device: TrustedDevice, server: str, http: httpx.Client) -> SignedLine:
    return device.look(Origins(IDENTIFIER, [Address(server, 1)], CLOCK, http=http), dt.datetime.now(dt.UTC))


def conditional(at: World) -> tuple[Counter, Counter]:
    """The same line's signed offer: asked with an ETag that holds, and with one that does not."""
    path = f"{at.address}/api/v1/offers/{IDENTIFIER}/{CHANNEL}/linux"
    same, changed = Counter(), Counter()
    with same.http() as http:
        etag = http.get(path).headers["ETag"]
        same.requests = same.size = 0
        assert http.get(path, headers={"If-None-Match": etag}).status_code == 304
    with changed.http() as http:
        http.get(path, headers={"If-None-Match": '"another"'})
    return same, changed


@contextmanager
def delivered(at: World, scratch: Path, number: int) -> Iterator[tuple[Path, str]]:
    """A folder with the title's delivery while this build is live, and nginx's address in front of it."""
    folder, own = scratch / "delivery", new_folder()
    shutil.rmtree(folder, ignore_errors=True)
    write(at, folder, number)
    server = DeliveryServer(f"127.0.0.1:{free_port()}", folder, own)
    process = start_delivery_server(server, scratch / "delivery.log")
    try:
        yield folder, f"http://{server.listen}"
    finally:
        process.terminate()
        process.wait()
        shutil.rmtree(own, ignore_errors=True)


def builds(at: World, scratch: Path) -> None:
    """Four of them, and the root that devices follow from; made once for all rows."""
    with at.client() as client:
        if client.delivery.trust(TITLE).root is not None:
            return
        source = make_folder(scratch / "delivering", 3_000_000)
        build(client, source, scratch / "delivering-state")
        change_folder(source)
        build(client, source, scratch / "delivering-state")
        for number in range(2):
            (source / "data/thaw.bin").write_bytes(os.urandom(90_000 + number))
            build(client, source, scratch / "delivering-state")
        client.delivery.publish_root(TITLE, signed(draft(client), *list(HOLDERS)[:2]))


def write(at: World, folder: Path, number: int) -> None:
    """Places the build where it is not, waits until the worker signed it, and writes."""
    builds(at, folder.parent)
    with at.client() as client:
        numbers = sorted(b.number for b in client.builds.all(TITLE) if b.profile == "linux-release")[-4:]
        wanted = numbers[number - 1]
        if wanted not in [p.build.number for p in client.channels.get(TITLE, CHANNEL).live]:
            client.channels.place(TITLE, CHANNEL, wanted, client.channels.preview(TITLE, CHANNEL, wanted).etag)
            statement = file_name(client.builds.statement(TITLE, wanted))
            while statement not in {f.name for f in client.delivery.files(TITLE).items}:
                time.sleep(0.1)
        write_delivery(client, TITLE, open_target(str(folder), IDENTIFIER))


def new_device(at: World, folder: Path) -> TrustedDevice:
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    with at.client() as client:
        found = client.titles.get(TITLE)
        who = DeviceIdentity(
            folder.name, TITLE, found.identifier, "linux", CHANNEL, at.address, found.manifest_key, os.urandom(16).hex()
        )
        device = TrustedDevice(SimulatedDevice.add(folder, who))
        device.begin(client.delivery.trusted_start(TITLE, CHANNEL))
    return device


@dataclass
class Source:
    """What a service would answer, out of memory: the writer is what is measured."""

    contents: dict[str, bytes] = field(default_factory=dict)
    changes: dict[str, int] = field(default_factory=dict)
    change: int = 0

    def add(self, count: int) -> None:
        self.change += 1
        for _ in range(count):
            data = os.urandom(200)
            name = f"files/{hashlib.sha256(data).hexdigest()}"
            self.contents[name], self.changes[name] = data, self.change

    def files(self, title: str, since: int = 0) -> DeliveryFiles:
        new = [(name, at) for name, at in self.changes.items() if at > since]
        items = [DeliveryFile(name=name, size=len(self.contents[name]), change=at) for name, at in new]
        stamp = base64.b64encode(b"{}").decode()
        return DeliveryFiles(title=title, identifier=IDENTIFIER, change=self.change, items=items, timestamp=stamp)

    def client(self) -> Client:
        titles = SimpleNamespace(get=lambda _title: SimpleNamespace(identifier=IDENTIFIER))
        fetch = lambda path: self.contents[path.rpartition(f"{IDENTIFIER}/")[2]]  # noqa: E731
        return cast(Client, SimpleNamespace(delivery=self, titles=titles, fetch=fetch))


def writing(tree: Tree) -> list[Figure]:
    """An update of ten files into a delivery of a hundred thousand; rsync of the same folder to another."""
    source, folder = Source(), tree.scratch / "hundred-thousand"
    source.add(FILES)
    target = FolderTarget(folder / IDENTIFIER)
    write_delivery(source.client(), TITLE, target)
    other, rsync = tree.scratch / "copied", shutil.which("rsync")
    if rsync:
        subprocess.run([rsync, "-a", f"{folder}/", f"{other}/"], check=True)
    source.add(CHANGED)
    began = time.perf_counter()
    done = write_delivery(source.client(), TITLE, target)
    own = time.perf_counter() - began
    assert done.written == CHANGED
    theirs = None
    if rsync:
        began = time.perf_counter()
        subprocess.run([rsync, "-a", f"{folder}/", f"{other}/"], check=True)
        theirs = time.perf_counter() - began
    note = f"{CHANGED} files into {FILES:,}" if rsync else "rsync is not here"
    return [Figure("delivery-write", own, theirs, "s", 1.0, note)]


def fleet(tree: Tree) -> list[Figure]:
    """Five hundred devices look and update from nginx alone: the first installs for real, the others fetch all of the same."""
    if not find_nginx():
        return [Figure("fleet-update", 0, None, "s", 2.0, NO_NGINX)]
    at = world(tree.scratch)
    with delivered(at, tree.scratch, 3) as (folder, server):
        first, http = new_device(at, tree.scratch / "first"), Counter().http()
        devices = [copied(first, tree.scratch / "fleet" / str(n)) for n in range(DEVICES)]
        route, line = routes(first, server, tree.scratch / "routes", http)
        route.bring(0, line.builds[0].offered.build)
        write(at, folder, 4)
        # From here on nobody asks the service; that it may be stopped is tests/ends/test_delivery.py's.
        _, line = routes(first, server, tree.scratch / "routes", http, route)
        have, wanted = route.installed(), line.builds[0].offered.build
        size = route.bring(have, wanted)

        def update(device: TrustedDevice) -> int:
            look(device, server, http)
            return route.bring(have, wanted)

        began = time.perf_counter()
        with ThreadPoolExecutor(AT_ONCE) as threads:
            moved = sum(threads.map(update, devices))
        own = time.perf_counter() - began
        theirs = plain(folder, server, size)
    note = f"{DEVICES} devices, {moved / 1e6:,.1f} MB, {DEVICES / own:,.0f} a second; beside plain GETs of as much"
    return [Figure("fleet-update", own, theirs, "s", 20.0, note)]


def copied(device: TrustedDevice, folder: Path) -> TrustedDevice:
    shutil.copytree(device.device.folder, folder)
    return TrustedDevice(SimulatedDevice(folder))


class _Ways(Routes):
    """What is installed by them so far."""

    def installed(self) -> int:
        return next(to for _, to in self._known)


def routes(
    device: TrustedDevice, server: str, folder: Path, http: httpx.Client, known: _Ways | None = None
) -> tuple[_Ways, SignedLine]:
    line = look(device, server, http)
    places = Origins(IDENTIFIER, [Address(server, 1)], CLOCK, http=http, resend=True)
    of: dict[int, LineBuild] = {b.offered.build: b for b in line.builds}

    def delivery(number: int) -> Delivery:
        return device.delivery(of[number], places, fetch_signed(places, of[number].statement))

    def envelope(number: int) -> bytes:
        return fetch_signed(places, of[number].statement)

    if known is None:
        key = bytes.fromhex(device.device.identity.key)
        return _Ways(folder, IDENTIFIER, key, delivery, envelope), line
    known._delivery, known._envelope = delivery, envelope
    return known, line


def plain(folder: Path, server: str, size: int) -> float:
    """As many bytes for as many, in one GET each."""
    (folder / IDENTIFIER / "files" / ("0" * 64)).write_bytes(bytes(size))
    http: Any = httpx.Client(trust_env=False)
    began = time.perf_counter()
    with http, ThreadPoolExecutor(AT_ONCE) as threads:
        got = threads.map(lambda _: len(http.get(f"{server}/{IDENTIFIER}/files/{'0' * 64}").content), range(DEVICES))
        assert sum(got) == DEVICES * size
    return time.perf_counter() - began
