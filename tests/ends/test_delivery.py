"""Players and a service that is not there: a real service, real commands, nginx in front of what was written."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.delivery.targets import open_target
from rampa.client.delivery.writer import write_delivery
from rampa.local.delivery_server import DeliveryServer, start_delivery_server
from rampa.local.front import new_folder
from rampa.local.postgres import free_port
from rampa.local.service import start_worker, stop
from rampa.schema.delivery import OriginIn
from tests.conftest import Live, Standing
from tests.delivering import CHANNEL, IDENTIFIER, TITLE, fill, place
from tests.ends.machines import until
from tests.hosts import missing
from tests.nursery import nursery

pytestmark = pytest.mark.skipif(bool(missing("nginx")), reason=missing("nginx"))
Rampa = Callable[..., str]


@pytest.fixture
def live(
    lives: Callable[[Callable[[Client], object]], Live], standing: tuple[Standing, object], tmp_path: Path
) -> Live:
    def delivered(client: Client) -> None:
        fill(client, standing[0].now_in, tmp_path)

    return lives(delivered)


@pytest.fixture
def rampa(live: Live, tmp_path: Path) -> Rampa:
    """`rampa …` as a process of its own: what it prints, both streams."""
    with live.client() as client:
        token = client.connection.bearer.current()
    told = {"RAMPA_HOME": str(tmp_path / "home"), "RAMPA_ADDRESS": live.address, "RAMPA_TOKEN": token}

    def run(*words: str) -> str:
        command = [sys.executable, "-m", "rampa.cli.main", *words]
        done = subprocess.run(command, env={**os.environ, **told}, capture_output=True, text=True, timeout=120)
        assert done.returncode == 0, done.stderr
        return done.stdout + done.stderr

    return run


@pytest.fixture
def server(tmp_path: Path) -> Iterator[DeliveryServer]:
    scratch, folder = new_folder(), tmp_path / "delivery"
    folder.mkdir()
    (scratch / "requests").touch(0o666)
    made = DeliveryServer(f"127.0.0.1:{free_port()}", folder, scratch, log=str(scratch / "requests"))
    for above in (folder, *folder.parents):
        if above.stat().st_uid == os.getuid():
            above.chmod(above.stat().st_mode | 0o011)  # its workers are another user's
    process = start_delivery_server(made, tmp_path / "nginx.log")
    yield made
    stop(process, signal.SIGTERM)
    shutil.rmtree(scratch, ignore_errors=True)


def test_players_install_and_update_while_the_service_is_away(
    live: Live, rampa: Rampa, server: DeliveryServer, tmp_path: Path
) -> None:
    with live.client() as client:
        worker = start_worker(live.folder, live.url, start=nursery().start_child)
        try:
            client.delivery.add_origin(TITLE, OriginIn(name="quay", address=f"http://{server.listen}"))
            for name in ("desk", "sofa"):
                rampa("device", "add", str(tmp_path / name), "--channel", CHANNEL)
            until(lambda: client.delivery.files(TITLE).change > 1, "the delivery follows")
            assert "is current" in rampa("delivery", "write", str(server.folder))
            assert "desk has peatlight#1 (1.4.0) now" in rampa("device", "update", str(tmp_path / "desk"))
            # The other one only looks: it is told where to follow from, and where files lie.
            rampa("device", "update", str(tmp_path / "sofa"))
            rampa("device", "uninstall", str(tmp_path / "sofa"), "--yes")
            before = client.delivery.files(TITLE).change
            place(client, 2)
            until(lambda: client.delivery.files(TITLE).change > before, "the delivery follows")
            write_delivery(client, TITLE, open_target(str(server.folder), IDENTIFIER))
        finally:
            stop(worker, signal.SIGTERM)
        live.kill()
        for name in ("desk", "sofa"):
            said = rampa("device", "update", str(tmp_path / name))
            assert f"{name} has peatlight#2" in said
            assert "reported with the next look" in said
            rampa("device", "verify", str(tmp_path / name))
        asked = (server.scratch / "requests").read_text()
        assert f"GET /{IDENTIFIER}/metadata/timestamp.json" in asked
        assert " 206 " in asked
        live.start()
        assert "already" in rampa("device", "update", str(tmp_path / "desk"))
        seen = {d.name: d.build for d in client.devices.all(TITLE)}
        assert seen == {"desk": 2, "sofa": 1}, "what was kept is told with the next look"


def test_the_server_hands_out_what_was_written_and_nothing_else(server: DeliveryServer) -> None:
    import httpx

    at = server.folder / IDENTIFIER
    for name in ("metadata/timestamp.json", f"packs/{'a' * 64}.pack", "written.json", ".lock", ".half.part"):
        (at / name).parent.mkdir(parents=True, exist_ok=True)
        (at / name).write_bytes(b"0123456789")
    base = f"http://{server.listen}/{IDENTIFIER}"
    with httpx.Client() as http:
        stamp = http.get(f"{base}/metadata/timestamp.json")
        assert stamp.headers["Cache-Control"] == "no-cache"
        assert (
            http.get(f"{base}/metadata/timestamp.json", headers={"If-None-Match": stamp.headers["ETag"]}).status_code
            == 304
        )
        part = http.get(f"{base}/packs/{'a' * 64}.pack", headers={"Range": "bytes=2-4"})
        assert (part.status_code, part.content) == (206, b"234")
        assert "immutable" in part.headers["Cache-Control"]
        assert "Cache-Control" not in http.get(f"{base}/metadata/2.root.json").headers, (
            "what may come later is not kept as gone"
        )
        for name in ("written.json", ".lock", ".half.part", "../nginx.conf", "%2e%2e/%2e%2e/etc/passwd"):
            assert http.get(f"{base}/{name}").status_code in (400, 404), name
        assert http.post(f"{base}/metadata/timestamp.json").status_code in (403, 405)
