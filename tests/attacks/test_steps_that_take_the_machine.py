"""Programs of a run that multiply, take memory between two looks, or outlive their step without a parent: held by the kernel's
control groups, in a sandbox and without one. And git and toolchains, which read what strangers wrote."""

from __future__ import annotations

import os
import subprocess
import threading
from dataclasses import replace
from pathlib import Path

import psutil
import pytest

from rampa.agent.control_group import ControlGroups, find_groups
from rampa.agent.isolation import PYTHON, Bare, Place, find_sandbox
from rampa.agent.process import Ended, Limits, run_program
from rampa.agent.settings import AgentSettings
from rampa.agent.toolchains import find_toolchains

GROUPS = find_groups()
SANDBOX, WHY_NOT = find_sandbox([])
grouped = pytest.mark.skipif(GROUPS is None, reason="this machine gives no control groups")
sandboxed = pytest.mark.skipif(SANDBOX is None, reason=f"this machine has no sandbox: {WHY_NOT}")
PLACES = ["bare", "sandbox"]


def place(name: str, folder: Path) -> Place:
    if name == "bare":
        return Bare(groups=GROUPS)
    if SANDBOX is None:
        pytest.skip(f"this machine has no sandbox: {WHY_NOT}")
    return replace(SANDBOX.for_run(None, [folder], network=False), groups=GROUPS)


def run(where: Place, folder: Path, script: str, limits: Limits) -> tuple[Ended, str]:
    said: list[bytes] = []
    words = [str(PYTHON), "-c", script]
    path = {"PATH": os.environ["PATH"]}
    ended = run_program(words, folder, path, limits, said.append, threading.Event(), where)
    return ended, b"".join(said).decode()


@grouped
@pytest.mark.parametrize("name", PLACES)
def test_memory_that_is_taken_between_two_looks(tmp_path: Path, name: str) -> None:
    """Taken and given back, by a child of a child, in less time than passes between two looks."""
    script = "import subprocess, sys; sys.exit(subprocess.run([sys.executable, '-c', 'b = bytearray(400_000_000)']).returncode)"
    ended, _ = run(place(name, tmp_path), tmp_path, script, Limits(60, memory=150_000_000))
    assert (ended.why, ended.well) == ("memory", False)
    ended, said = run(
        place(name, tmp_path), tmp_path, "print(len(bytearray(20_000_000)))", Limits(60, memory=150_000_000)
    )
    assert (ended.well, said.strip()) == (True, "20000000")


@grouped
@pytest.mark.parametrize("name", PLACES)
def test_a_program_that_multiplies(tmp_path: Path, name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    assert GROUPS
    few = _few(60)
    where = replace(place(name, tmp_path), groups=few)
    script = """
import os, time
made = 0
try:
    for _ in range(500):
        if os.fork() == 0:
            time.sleep(3600)
        made += 1
except BlockingIOError:
    print("refused after", made)
"""
    ended, said = run(where, tmp_path, script, Limits(60))
    assert 30 <= int(said.split()[-1]) < 60
    assert ended.why == ""
    assert _sleepers(tmp_path) == []


def _few(processes: int) -> ControlGroups:
    class Few(ControlGroups):
        def make(self, memory: int, processes: int = processes):  # type: ignore[no-untyped-def]
            return super().make(memory, processes)

    assert GROUPS
    return Few(GROUPS.version, GROUPS.memory, GROUPS.pids, GROUPS.cpu)


def _sleepers(folder: Path) -> list[int]:
    found = []
    for each in psutil.process_iter(["cwd"]):
        if each.info["cwd"] == str(folder) and each.status() != psutil.STATUS_ZOMBIE:
            found.append(each.pid)
    return found


@grouped
def test_without_a_sandbox_what_left_its_parent_ends_too(tmp_path: Path) -> None:
    """A double fork with a session of its own, and the parent gone at once: no tree of processes leads to it."""
    script = """
import os, time
if os.fork() == 0:
    os.setsid()
    if os.fork() == 0:
        open("alive", "w").close()
        time.sleep(3600)
    os._exit(0)
os.wait()
while not os.path.exists("alive"):
    time.sleep(0.01)
"""
    ended, _ = run(Bare(groups=GROUPS), tmp_path, script, Limits(60))
    assert ended.well
    assert (tmp_path / "alive").exists()
    assert _sleepers(tmp_path) == []


@grouped
def test_nothing_is_left_of_groups(tmp_path: Path) -> None:
    """But what an agent beside this one has just made stays: its program joins it in a moment."""
    assert GROUPS
    gone = subprocess.Popen(["true"])
    gone.wait()
    stale, waiting = GROUPS.pids / f"rampa-{gone.pid}-1", GROUPS.make(0)
    stale.mkdir()
    assert run(Bare(groups=GROUPS), tmp_path, "print(1)", Limits(60))[0].well
    assert find_groups() == GROUPS
    assert (stale.exists(), all(folder.exists() for folder in waiting.folders)) == (False, True)
    waiting.close()
    mine = f"rampa-{os.getpid()}-*"
    assert [*GROUPS.memory.glob(mine), *GROUPS.pids.glob(mine)] == []


@grouped
def test_a_group_that_is_taken_away_stops_nothing(tmp_path: Path) -> None:
    assert GROUPS
    group = GROUPS.make(0)
    group.close()
    process = Bare().start(["echo", "runs"], tmp_path, {"PATH": os.environ["PATH"]}, group.join)
    assert process.communicate()[0] == b"runs\n"


def test_a_machine_without_them_is_watched(tmp_path: Path) -> None:
    assert find_groups(tmp_path) is None
    gone = ControlGroups(2, tmp_path / "gone", tmp_path / "gone", None)
    ended, _ = run(
        Bare(groups=gone), tmp_path, "b = b'x' * 300_000_000; import time; time.sleep(60)", Limits(30, 150_000_000)
    )
    assert ended.why == "memory"


SPY = """\
#!/bin/sh
# Asked for its version, it looks around.
cat {secret} 2>&1
echo written > {secret}.copy
echo 1.2.3
"""


@sandboxed
def test_a_toolchain_that_is_asked_for_its_version_sees_nothing_of_the_agent(tmp_path: Path) -> None:
    secret = tmp_path / "agent.pem"
    secret.write_text("9.9.9 the agent's key")
    tools = tmp_path / "tools"
    tools.mkdir()
    for folder in (tmp_path, *tmp_path.parents[:-2]):
        if os.access(folder, os.W_OK):
            folder.chmod(folder.stat().st_mode | 0o055)
    (tools / "spy").write_text(SPY.format(secret=secret))
    (tools / "spy").chmod(0o755)
    (tools / "spy.toolchain.toml").write_text('name = "spy"\ncommand = ["{here}/spy"]\n')
    (bare,) = find_toolchains([tools])
    assert bare.toolchain.version == "9.9.9"
    settings = AgentSettings("kiln-1", tmp_path, (tools,), sandbox=SANDBOX)
    (tmp_path / "agent.pem.copy").unlink()
    (found,) = settings.find()
    assert found.toolchain.version == "1.2.3"
    assert not (tmp_path / "agent.pem.copy").exists()
