"""What bin/up starts ends with it, however it ends; the same data starts again."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest

from rampa.local import postgres as postgres_module
from rampa.local.postgres import FAST_FOR_TESTS, find_programs, private_server
from rampa.local.service import ServiceFolder, stop
from tests.refusals import refuses

PARENT = """
import sys, time
from pathlib import Path
from rampa.local.postgres import private_server
server = private_server(Path(sys.argv[1]), sys.argv[2])
server.start()
print(server.port(), flush=True)
time.sleep(120)
"""


def listens(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def test_postgres_ends_with_a_killed_parent_and_its_data_starts_again() -> None:
    with tempfile.TemporaryDirectory(dir="/tmp") as name:
        Path(name).chmod(0o755)
        folder = Path(name) / "pg"
        command = [sys.executable, "-c", PARENT, str(folder), FAST_FOR_TESTS]
        parent = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert parent.stdout
        port = int(parent.stdout.readline())
        assert listens(port)
        os.kill(parent.pid, signal.SIGKILL)
        parent.wait()
        end = time.monotonic() + 20
        while listens(port) and time.monotonic() < end:
            time.sleep(0.1)
        assert not listens(port)
        again = private_server(folder, FAST_FOR_TESTS)
        process = again.start()
        assert process is not None
        assert again.running()
        assert private_server(folder).start() is None, "one that runs is not started twice"
        stop(process, signal.SIGINT)
        assert not again.running()


def test_a_missing_postgres_says_what_to_install(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.delenv("PGBIN", raising=False)
    monkeypatch.setattr(postgres_module, "Path", lambda *_: tmp_path)
    with refuses("postgres.missing", "not installed") as caught:
        find_programs()
    assert "apt-get install postgresql" in caught.value.hint


def test_the_master_key_is_made_once_and_for_its_owner_only(tmp_path: Path) -> None:
    folder = ServiceFolder(tmp_path / "service")
    folder.prepare()
    key = folder.master_key.read_text()
    folder.prepare()
    assert folder.master_key.read_text() == key
    assert len(bytes.fromhex(key.strip())) == 32
    assert folder.master_key.stat().st_mode & 0o777 == 0o600


def test_a_port_stays_while_it_is_free(tmp_path: Path) -> None:
    folder = ServiceFolder(tmp_path)
    port = folder.port()
    assert folder.port() == port
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", port))
        taken.listen()
        assert folder.port() != port


def test_a_stubborn_child_is_killed() -> None:
    stubborn = (
        "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print(1, flush=True); time.sleep(60)"
    )
    child = subprocess.Popen([sys.executable, "-c", stubborn], stdout=subprocess.PIPE)
    assert child.stdout
    child.stdout.readline()
    stop(child, signal.SIGTERM, seconds=0.3)
    assert child.returncode == -signal.SIGKILL
