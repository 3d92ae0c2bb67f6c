"""What bin/up started and what ends by itself: started again, later each time, and said; the real ones, killed in turn."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import psutil
import pytest

from rampa.client import Client
from rampa.client.people.sign_in import token_for
from rampa.client.sources.folders import upload_folder
from rampa.core.errors import Unavailable
from rampa.local.keeper import FIRST, LONGEST, Keeper
from rampa.local.service import Child
from rampa.schema.runs import NewRuns
from tests.conftest import CONSOLE, OWNER
from tests.samples import DOCUMENT, add_key

SLOWLY = """
[profiles.slowly]
platform = "linux"
purpose = "testing"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight"
toolchain.steps = ["fetch", "breathe", "collect", "check", "bundle", "complete"]

[steps.breathe]
command = ["sh", "-c", "echo breathes; sleep 4"]
"""


class Fake:
    """A child that ends when it is told to."""

    pid = 0

    def __init__(self) -> None:
        self.code: int | None = None

    def poll(self) -> int | None:
        return self.code

    def wait(self, timeout: float | None = None) -> int:
        return self.code or 0

    def send_signal(self, how: signal.Signals, /) -> None:
        self.code = -int(how)

    def kill(self) -> None:
        self.code = -9


class Stage:
    """A keeper whose clock stands until it is moved."""

    def __init__(self) -> None:
        self.said: list[str] = []
        self.now = 0.0
        self.children: list[Fake] = []
        self.fails = 0
        self.keeper = Keeper(self.said.append, lambda: self.now)

    def start(self) -> Child | None:
        if self.fails:
            self.fails -= 1
            raise Unavailable("service.failed", "the port is taken")
        self.children.append(Fake())
        return self.children[-1]

    def after(self, seconds: float) -> None:
        self.now += seconds
        self.keeper.look()


@pytest.fixture
def stage() -> Stage:
    made = Stage()
    made.keeper.keep("The worker", Path("worker.log"), made.start)
    return made


def test_what_ends_is_started_again_and_said(stage: Stage) -> None:
    stage.children[0].code = -9
    stage.after(0)
    assert stage.said == ["The worker ended by signal SIGKILL; it is started again in 1 second. Its log: worker.log"]
    stage.after(FIRST / 2)
    assert len(stage.children) == 1
    stage.after(FIRST / 2)
    assert (len(stage.children), stage.said[-1]) == (2, "The worker runs again.")


def test_one_that_does_not_stay_waits_longer_each_time(stage: Stage) -> None:
    waits = []
    for _ in range(9):
        stage.children[-1].code = 3
        stage.after(0)
        waits.append(int(stage.said[-1].split(" in ")[1].split()[0]))
        stage.after(waits[-1])
    assert waits == [1, 2, 4, 8, 16, 32, 60, 60, 60]
    assert "with exit code 3" in stage.said[-2]
    # One that stayed is trusted again.
    stage.after(LONGEST)
    stage.children[-1].code = 3
    stage.after(0)
    assert "in 1 second." in stage.said[-1]


def test_a_start_that_fails_is_tried_again(stage: Stage) -> None:
    stage.children[0].code, stage.fails = 1, 2
    stage.after(0)
    stage.after(1)
    assert stage.said[-1].startswith("The worker did not start: the port is taken; it is started again in 2 seconds.")
    stage.after(2)
    stage.after(4)
    assert stage.said[-1] == "The worker runs again."


def test_all_are_ended_in_the_opposite_order(stage: Stage) -> None:
    ended: list[str] = []
    for name in ("first", "second"):
        child = Fake()
        child.send_signal = lambda how, name=name, child=child: (ended.append(name), setattr(child, "code", -15))[0]  # type: ignore[method-assign,misc]
        stage.keeper.keep(name, Path("log"), lambda child=child: child)  # type: ignore[misc]
    stage.keeper.keep("somebody else's", Path("log"), lambda: None)
    stage.keeper.stop()
    assert ended == ["second", "first"]
    assert stage.children[0].code == -signal.SIGTERM


def until(true: Callable[[], object], what: str) -> None:
    end = time.monotonic() + 300
    while not true():
        assert time.monotonic() < end, what
        time.sleep(0.1)


@pytest.mark.slow
def test_each_is_killed_in_turn_while_work_goes_on(tmp_path: Path) -> None:
    tmp_path.chmod(0o755)
    log = tmp_path / "up.log"
    root = CONSOLE.parents[1]
    environment = {**os.environ, "RAMPA_ROOT": str(root), "RAMPA_DATA": str(tmp_path / "data"), "PYTHONUNBUFFERED": "1"}
    with log.open("wb") as out:
        up = subprocess.Popen(
            [sys.executable, "-m", "rampa.local.up", "--no-demo"], env=environment, stdout=out, stderr=out
        )
    try:
        until(lambda: "Ctrl-C stops it" in log.read_text(), "bin/up did not come")
        told = log.read_text()
        address = told.split("Rampa runs at ")[1].split()[0]
        password = told.split("with password")[1].split()[0]
        _, token = token_for(address, OWNER, password, "test")
        with Client(address, token.secret) as client:
            until(lambda: len(client.agents.all()) == 2, "the agents did not come")
            work = Work(client, tmp_path)
            for name, mark in (
                ("The agent kiln-1", "kiln-1"),
                ("The worker of the job queue", "rampa.jobs"),
                ("The service", "gunicorn"),
                ("PostgreSQL", "postgres"),
            ):
                work.begin()
                _kill(up.pid, mark)
                until(lambda name=name: f"{name} runs again." in log.read_text(), f"{name}: {log.read_text()}")  # type: ignore[misc]
                assert f"{name} ended by signal SIGKILL; it is started again in 1 second." in log.read_text()
            assert client.people.session().person.email == OWNER
            work.must_be_done()
            until(lambda: {a.state for a in client.agents.all()} == {"idle"}, "the agents are idle again")
        assert up.poll() is None
    finally:
        # As Ctrl-C; whatever a shell runs in its background does not hear that one.
        up.send_signal(signal.SIGTERM)
        up.wait(60)
    assert "Stopped." in log.read_text()


class Work:
    """Runs that take some seconds, of which one is under way whenever something is killed."""

    def __init__(self, client: Client, folder: Path) -> None:
        self.client, self.runs = client, list[int]()
        add_key(client)
        client.titles.add(DOCUMENT + SLOWLY)
        source = folder / "source"
        for name, data in {"bin/peatlight": b"#!/bin/sh\n", "data/bog.arc": b"bog" * 500}.items():
            (source / name).parent.mkdir(parents=True, exist_ok=True)
            (source / name).write_bytes(data)
            (source / name).chmod(0o755)
        self.folder = upload_folder(client, "peatlight", source, "", lambda *_: None)[0].number

    def begin(self) -> None:
        """Returns once the step has begun."""
        number = self.client.runs.start("peatlight", NewRuns(profiles=["slowly"], folder=self.folder))[0].number
        self.runs.append(number)
        until(lambda: b"breathes" in b"".join(self.client.runs.log_text("peatlight", number)), "the step did not begin")

    def must_be_done(self) -> None:
        for number in self.runs:
            until(lambda number=number: self._state(number) in ("done", "failed"), f"run {number} did not end")  # type: ignore[misc]
        assert {self._state(number) for number in self.runs} == {"done"}
        codes = [build.version_code for build in self.client.builds.all("peatlight") if build.state == "ready"]
        assert len(codes) == len(set(codes)) == len(self.runs)

    def _state(self, number: int) -> str:
        return self.client.runs.get("peatlight", number).state


def _kill(parent: int, mark: str) -> None:
    for child in psutil.Process(parent).children():
        if any(mark in word for word in child.cmdline()):
            child.kill()
            return
    raise AssertionError(f"no child {mark}")
