"""kill -9 of the service, of the client in its upload, of the device in its update, and of PostgreSQL: nothing is lost."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from blake3 import blake3

from rampa.client import Client
from rampa.client.builds.maker import make_build
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.content.pack.pack import PACK_TARGET
from rampa.core.install.install import Installation
from rampa.db.migrate import migrate
from rampa.local.postgres import private_server
from rampa.local.service import stop
from rampa.system import CLOCK
from tests.conftest import Live, start_live
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder, noise

BIG = 40_000_000
assert PACK_TARGET < BIG, "an upload of several packs is needed to be killed between them"


@pytest.fixture
def ready(live: Live):  # type: ignore[no-untyped-def]
    with live.client() as client:
        add_key(client)
        import_title(client)
        yield client


def command(live: Live, client: Client, tmp_path: Path, *words: str) -> subprocess.Popen[bytes]:
    token = client.connection.bearer.current()
    environment = {
        **os.environ,
        "RAMPA_HOME": str(tmp_path / "home"),
        "RAMPA_ADDRESS": live.address,
        "RAMPA_TOKEN": token,
    }
    return subprocess.Popen(
        [sys.executable, "-m", "rampa.cli.main", *words],
        env=environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE, start_new_session=True,
    )  # fmt: skip


def bundle_is_whole(client: Client, number: int, tmp_path: Path) -> None:
    build_ = client.builds.get("peatlight", number)
    assert build_.bundle
    client.builds.save_bundle("peatlight", number, tmp_path / "b.zip")
    assert (tmp_path / "b.zip").stat().st_size == build_.bundle.size


def test_the_client_killed_in_its_upload_goes_on_with_the_same_build(live: Live, ready: Client, tmp_path: Path) -> None:
    source = make_folder(tmp_path / "source", BIG)
    # Enough that no command is done before it is killed.
    (source / "data/more.bin").write_bytes(noise(2 * BIG, 7))
    words = ("build", "create", "--profile", "linux-release", "--from", str(source))
    chance = random.Random(4)
    for _ in range(3):
        process = command(live, ready, tmp_path, *words)
        time.sleep(chance.uniform(0.6, 1.5))
        os.killpg(process.pid, signal.SIGKILL)
        process.communicate()
    builds_before = list(ready.builds.all("peatlight"))
    assert len(builds_before) <= 1, "each command went on with the first one's build"
    process = command(live, ready, tmp_path, *words)
    _out, err = process.communicate(timeout=120)
    assert process.returncode == 0, err.decode()
    done = next(iter(ready.builds.all("peatlight", limit=1)))
    assert (done.state, done.version_code) == ("ready", done.number)
    bundle_is_whole(ready, done.number, tmp_path)


def test_the_service_killed_in_an_upload_loses_nothing(live: Live, ready: Client, tmp_path: Path) -> None:
    source = make_folder(tmp_path / "source", BIG)
    ended = threading.Event()

    def kill_and_start() -> None:
        for _ in range(3):
            time.sleep(0.5)
            if ended.is_set():
                return
            live.kill()
            live.start()

    killer = threading.Thread(target=kill_and_start)
    killer.start()
    try:
        made = make_build(ready, "peatlight", "linux-release", source, state=tmp_path / "state")
    finally:
        ended.set()
        killer.join()
    assert made.build.state == "ready"
    assert len(list(ready.builds.all("peatlight"))) == 1
    bundle_is_whole(ready, 1, tmp_path)
    for pack in (live.folder.store / "packs").rglob("*.pack"):
        assert blake3(pack.read_bytes()).hexdigest() == pack.stem


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGQUIT])
def test_postgres_restarted_in_an_upload_is_waited_for(how: signal.Signals, tmp_path: Path) -> None:
    """SIGINT is an orderly stop, SIGQUIT drops everything at once."""
    with tempfile.TemporaryDirectory(dir="/tmp") as name:
        Path(name).chmod(0o755)
        # With the settings of bin/up: what the other tests switch off (syncs) is what this one is about.
        server = private_server(Path(name) / "pg")
        process = server.start()
        assert process
        port = server.port()
        migrate(server.url())
        live = start_live(server.url(), tmp_path)
        running = [process]
        # A child ends with the thread that started it: this one lives as long as the test.
        starter = ThreadPoolExecutor(1)

        def restart() -> None:
            for _ in range(2):
                time.sleep(0.4)
                stop(running[-1], how)
                time.sleep(0.5)
                again = starter.submit(server.start, port).result()
                assert again
                running.append(again)

        restarter = threading.Thread(target=restart)
        try:
            with live.client() as client:
                add_key(client)
                import_title(client)
                source = make_folder(tmp_path / "source", BIG)
                restarter.start()
                made = make_build(client, "peatlight", "linux-release", source, state=tmp_path / "state")
                restarter.join()
                assert made.build.state == "ready"
                assert len(list(client.builds.all("peatlight"))) == 1
                bundle_is_whole(client, 1, tmp_path)
                assert len(running) == 3
        finally:
            live.stop()
            stop(running[-1], signal.SIGINT)
            starter.shutdown()


def test_a_device_killed_in_its_update_resumes(live: Live, ready: Client, tmp_path: Path) -> None:
    source = make_folder(tmp_path / "source", BIG)
    state = tmp_path / "state"
    build(ready, source, state)
    change_folder(source)
    (source / "data/more.bin").write_bytes(random.Random(8).randbytes(20_000_000))
    build(ready, source, state)
    ready.channels.place("peatlight", "studio", 1, ready.channels.preview("peatlight", "studio", 1).etag)
    device = tmp_path / "desk"
    assert command(live, ready, tmp_path, "device", "add", str(device), "--title", "peatlight").wait() == 0
    title = ready.titles.get("peatlight")
    installation = Installation(device / "title", title.identifier, bytes.fromhex(title.manifest_key), clock=CLOCK)
    chance = random.Random(6)
    for number in (1, 2):
        if number == 2:
            ready.channels.place("peatlight", "studio", 2, ready.channels.preview("peatlight", "studio", 2).etag)
        for _ in range(3):
            process = command(live, ready, tmp_path, "device", "update", str(device))
            time.sleep(chance.uniform(0.45, 1.0))
            os.killpg(process.pid, signal.SIGKILL)
            process.communicate()
            now = installation.current()
            assert now is None or now.statement.build in (number - 1, number)
            if now is not None:
                assert installation.verify() == []
        process = command(live, ready, tmp_path, "device", "update", str(device))
        _out, err = process.communicate(timeout=60)
        assert process.returncode == 0, err.decode()
        now = installation.current()
        assert now is not None
        assert now.statement.build == number
        assert installation.verify() == []


def test_the_service_killed_in_a_device_s_update(live: Live, ready: Client, tmp_path: Path) -> None:
    build(ready, make_folder(tmp_path / "source", BIG), tmp_path / "state")
    title = ready.titles.get("peatlight")
    installation = Installation(tmp_path / "device", title.identifier, bytes.fromhex(title.manifest_key), clock=CLOCK)
    delivery = HttpDelivery(ready, "peatlight", 1)
    real, calls, one = delivery.read, [0], threading.Lock()
    restarts: list[threading.Thread] = []

    def read(pack: bytes, offset: int, size: int) -> bytes:
        with one:
            calls[0] += 1
            if calls[0] in (2, 5):
                for restart in restarts:
                    restart.join()
                live.kill()
                restarts.append(threading.Timer(0.3, live.start))
                restarts[-1].start()
        return real(pack, offset, size)

    delivery.read = read  # type: ignore[method-assign]
    installation.update(ready.builds.statement("peatlight", 1), delivery)
    for restart in restarts:
        restart.join()
    assert len(restarts) == 2
    assert installation.verify() == []


def test_a_token_that_expires_in_an_upload_keeps_what_arrived(live: Live, ready: Client, tmp_path: Path) -> None:
    import psycopg

    source = make_folder(tmp_path / "source", BIG)

    def expire(step) -> None:  # type: ignore[no-untyped-def]
        if step.phase == "upload" and step.done > 0:
            with psycopg.connect(live.url.replace("+psycopg", ""), autocommit=True) as connection:
                connection.execute("update token set expires_at = now() - interval '1 hour'")

    with refuses("token.expired", "expired") as caught:
        make_build(ready, "peatlight", "linux-release", source, state=tmp_path / "state", on=expire)
    assert "rampa sign-in" in caught.value.hint
    with live.client() as again:
        made = make_build(again, "peatlight", "linux-release", source, state=tmp_path / "state")
        assert made.build.number == 1
        assert made.content.present > 0
