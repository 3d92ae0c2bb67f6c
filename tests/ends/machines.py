"""Real processes for tests of runs: workers of the queue, agents, and a line between an agent and the service that can be cut."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import threading
import time
from collections.abc import Callable
from pathlib import Path

from coverage import Coverage

from rampa.client import Client
from rampa.local.service import Child, start_worker, stop
from tests.conftest import Live
from tests.nursery import nursery

ENDED = {"done", "failed", "cancelled", "superseded"}


class Machines:
    """Workers and agents beside a live service; all end with the test."""

    def __init__(self, live: Live, client: Client, root: Path) -> None:
        self.live, self.client, self.root = live, client, root
        self.agents: dict[str, Child] = {}
        self._others: list[Child] = []

    def worker(self) -> Child:
        made = start_worker(self.live.folder, self.live.url, nursery().start_child)
        self._others.append(made)
        return made

    def agent(self, name: str, *more: str, address: str = "") -> Child:
        environment = {
            **{k: v for k, v in os.environ.items() if not k.startswith("RAMPA_")},
            "RAMPA_ADDRESS": address or self.live.address,
            "RAMPA_HOME": str(self.root / name / "home"),
        }
        if not (self.root / name / "agent.pem").exists():
            environment["RAMPA_AGENT_CODE"] = self.client.agents.make_code(name).code
        words = ["agent", "start", "--name", name, "--folder", str(self.root / name), "--same-user", *more]
        with (self.root / f"{name}.log").open("ab") as log:
            self.agents[name] = nursery().start(["rampa.cli.main", *words], environment, log, alone=False)
        until(
            lambda: any(a.name == name and a.state in ("idle", "working") for a in self.client.agents.all()),
            f"{name} came",
        )
        if next(a for a in self.client.agents.all() if a.name == name).abilities.isolation != "sandbox":
            # This machine gives no namespaces: what these tests are about is the runs.
            for title in self.client.titles.all():
                self.client.titles.need_sandbox(title.slug, needed=False)
        return self.agents[name]

    def kill(self, name: str) -> None:
        self.agents[name].send_signal(signal.SIGKILL)
        self.agents.pop(name).wait()

    def end_workers(self) -> None:
        _end_all(self._others)
        self._others.clear()

    def stop(self) -> None:
        """The test is over: nobody waits for their goodbyes. What they started ends with them."""
        if Coverage.current():
            # One that is killed does not say what it ran.
            _end_all([*self.agents.values(), *self._others])
            return
        for process in (*self.agents.values(), *self._others):
            process.kill()
        for process in (*self.agents.values(), *self._others):
            process.wait()


def _end_all(processes: list[Child]) -> None:
    """Asks all at once, then waits for each."""
    for process in processes:
        process.send_signal(signal.SIGTERM)
    for process in processes:
        stop(process, signal.SIGTERM, 5)


def until(true: Callable[[], object], what: str, seconds: float = 300) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, f"not within {seconds} s: {what}"
        time.sleep(0.1)


class Line:
    """A TCP line to the service that can be cut for a while: what is sent meanwhile is lost with its connection."""

    def __init__(self, port: int) -> None:
        self._to = port
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{self._listener.getsockname()[1]}"
        self._open: list[socket.socket] = []
        self._cut = threading.Event()
        threading.Thread(target=self._accept, daemon=True).start()

    def cut(self) -> None:
        self._cut.set()
        for each in self._open:
            _end(each)
        self._open.clear()

    def fix(self) -> None:
        self._cut.clear()

    def close(self) -> None:
        self.cut()
        self._listener.close()

    def _accept(self) -> None:
        while True:
            try:
                near, _ = self._listener.accept()
            except OSError:
                return
            if self._cut.is_set():
                near.close()
                continue
            far = socket.create_connection(("127.0.0.1", self._to))
            self._open += [near, far]
            for a, b in ((near, far), (far, near)):
                threading.Thread(target=self._pump, args=(a, b), daemon=True).start()

    @staticmethod
    def _pump(a: socket.socket, b: socket.socket) -> None:
        try:
            while data := a.recv(65536):
                b.sendall(data)
        except OSError:
            pass
        for each in (a, b):
            _end(each)


def _end(each: socket.socket) -> None:
    with contextlib.suppress(OSError):
        each.shutdown(socket.SHUT_RDWR)
