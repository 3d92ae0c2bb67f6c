"""One start command for one folder of data; what ends by itself is said; what does not start shows its log."""

from __future__ import annotations

import signal
import subprocess
import sys
from pathlib import Path

import pytest

from rampa.local.postgres import FAST_FOR_TESTS, Postgres, find_programs, free_port
from rampa.local.service import ServiceFolder, start_service, stop
from rampa.local.up import only_one
from tests.refusals import refuses


def short(code: int) -> subprocess.Popen[bytes]:
    return subprocess.Popen([sys.executable, "-c", f"raise SystemExit({code})"])


def test_one_start_a_folder(tmp_path: Path) -> None:
    with only_one(tmp_path):
        with refuses("up.running", str(tmp_path)), only_one(tmp_path):
            pass
    with only_one(tmp_path):
        pass


def test_a_service_that_does_not_start_shows_its_log(tmp_path: Path) -> None:
    folder = ServiceFolder(tmp_path / "service")
    folder.prepare()
    folder.master_key.write_text("fog\n")
    with refuses("service.failed", "64 hexadecimal digits"):
        start_service(folder, "postgresql+psycopg://nobody@127.0.0.1:1/none", free_port(), None)


def test_a_database_that_does_not_start_says_why(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    server = Postgres(tmp_path / "pg", find_programs(), FAST_FOR_TESTS)
    (tmp_path / "pg").write_text("a file where the folder should be")
    with refuses("postgres.failed"):
        server.start()


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGKILL])
def test_what_has_ended_is_not_ended_again(how: signal.Signals) -> None:
    child = short(0)
    child.wait()
    stop(child, how)
    assert child.returncode == 0
