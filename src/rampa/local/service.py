"""The service as a child process: gunicorn on loopback, ended with its parent."""

from __future__ import annotations

import os
import secrets
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import httpx

from rampa.core.errors import Unavailable
from rampa.local.postgres import ends_with_parent, free_port

THREADS = 112
"""More than the streams that one process takes (rampa.service.base.streams), so that calls are always answered."""
START_SECONDS = 300
"""On a machine that is busy with other things, importing alone can take a minute; one that ended is noticed at once."""


@dataclass(frozen=True)
class ServiceFolder:
    """Where a service keeps its things: content store, master key, log, port."""

    root: Path

    @property
    def store(self) -> Path:
        return self.root / "store"

    @property
    def master_key(self) -> Path:
        return self.root / "master.key"

    @property
    def log(self) -> Path:
        return self.root / "service.log"

    @property
    def mailbox(self) -> Path:
        """Where letters lie while no mail server is named."""
        return Path(os.environ.get("RAMPA_MAILBOX") or self.root / "mailbox")

    def prepare(self) -> None:
        """Makes the master key on the first start; losing it loses every secret in the vault."""
        self.root.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not self.master_key.exists():
            fd = os.open(self.master_key, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(fd, "w") as out:
                out.write(secrets.token_hex(32) + "\n")

    def port(self, of: str = "port") -> int:
        """The port of the last start when it is free, so that addresses stay; else another."""
        kept = self.root / of
        try:
            port = int(kept.read_text())
            with socket.socket() as probe:
                # A socket of the last start can linger for minutes; without this option the port would count as taken.
                probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                probe.bind(("127.0.0.1", port))
        except (OSError, ValueError, OverflowError):
            port = free_port()
            kept.write_text(f"{port}\n")
        return port


class Child(Protocol):
    """A process that was started: what is used of `subprocess.Popen`."""

    pid: int

    def poll(self) -> int | None: ...

    def wait(self, timeout: float | None = None) -> int: ...

    def send_signal(self, how: signal.Signals, /) -> None: ...

    def kill(self) -> None: ...


Start = Callable[[list[str], dict[str, str], Path], Child]
"""Starts a command in an environment, writing into a log."""


def start_child(command: list[str], environment: dict[str, str], log: Path) -> subprocess.Popen[bytes]:
    """A process that ends with this one, and writes into `log`."""
    with log.open("ab") as out:
        return subprocess.Popen(
            command,
            stdout=out,
            stderr=out,
            stdin=subprocess.DEVNULL,
            env=environment,
            # A session of its own: Ctrl-C at the terminal reaches the parent alone, which ends its children in order.
            start_new_session=True,
            preexec_fn=ends_with_parent(signal.SIGTERM),
        )


def start_service(
    folder: ServiceFolder,
    database_url: str,
    port: int,
    console: Path | None,
    workers: int = 1,
    start: Start = start_child,
) -> Child:
    """Starts gunicorn and waits until it is ready. Raises `Unavailable` with the end of its log."""
    environment = {**_environment(folder, database_url), "RAMPA_CONSOLE": str(console or "")}
    command = [sys.executable, "-m", "gunicorn", "--no-control-socket", "--bind", f"127.0.0.1:{port}"]
    command += ["--worker-class", "gthread", "--workers", str(workers), "--threads", str(THREADS), "--timeout", "300"]
    command += ["--graceful-timeout", "5", "--log-level", "warning", "rampa.service.wiring:from_environment()"]
    service = start(command, environment, folder.log)
    _wait_ready(service, folder, port)
    return service


def start_worker(folder: ServiceFolder, database_url: str, start: Start = start_child) -> Child:
    """Starts a worker of the job queue. Several can work side by side."""
    return start([sys.executable, "-m", "rampa.jobs"], _environment(folder, database_url), folder.root / "worker.log")


def start_mailbox(folder: ServiceFolder, port: int, secret: str, start: Start = start_child) -> Child:
    """Starts the page that shows the letters of this machine's mailbox."""
    folder.mailbox.mkdir(parents=True, exist_ok=True, mode=0o700)
    command = [sys.executable, "-m", "rampa.standin.mailbox", str(folder.mailbox), "--port", str(port)]
    return start(command, {**os.environ, "RAMPA_MAILBOX_SECRET": secret}, folder.root / "mailbox.log")


def start_screens(folder: ServiceFolder, port: int, secret: str, address: str, start: Start = start_child) -> Child:
    """Starts the host of simulated devices that one can look at."""
    at = str(folder.root / "screens")
    command = [sys.executable, "-m", "rampa.local.screen_host", at, "--port", str(port), "--service", address]
    return start(command, {**os.environ, "RAMPA_SCREENS_SECRET": secret}, folder.root / "screens.log")


def _environment(folder: ServiceFolder, database_url: str) -> dict[str, str]:
    return {
        **os.environ,
        "RAMPA_DATABASE_URL": database_url,
        "RAMPA_STORE": str(folder.store),
        "RAMPA_MASTER_KEY_FILE": str(folder.master_key),
    }


def _wait_ready(service: Child, folder: ServiceFolder, port: int) -> None:
    end = time.monotonic() + START_SECONDS
    while time.monotonic() < end and service.poll() is None:
        try:
            # Not the environment's proxy: the service is on loopback.
            if httpx.get(f"http://127.0.0.1:{port}/readyz", timeout=2, trust_env=False).status_code == 200:
                return
        except httpx.TransportError:
            pass
        time.sleep(0.05)
    told = folder.log.read_text(errors="replace")[-1500:]
    service.kill()
    raise Unavailable("service.failed", f"the service did not start; the end of {folder.log}:\n{told}")


def stop(process: Child, how: signal.Signals, seconds: float = 15) -> None:
    """Ends a child that this process started; what does not listen is killed."""
    if process.poll() is not None:
        return
    process.send_signal(how)
    try:
        process.wait(seconds)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
