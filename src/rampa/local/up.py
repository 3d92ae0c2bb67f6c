"""What bin/up runs once everything is installed: database, migrations, service, demo; until Ctrl-C."""

from __future__ import annotations

import argparse
import contextlib
import fcntl
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from rampa.cli.base import home
from rampa.core.errors import Conflict, RampaError
from rampa.core.signing.seal import read_masters
from rampa.db import Database
from rampa.db.migrate import migrate
from rampa.local.agents import Agents
from rampa.local.postgres import private_server
from rampa.local.service import Child, ServiceFolder, start_service, start_worker, stop
from rampa.operations.base import Services
from rampa.operations.people import people
from rampa.store.address import open_store

STUDIO = "Quillback Works"
OWNER = ("Iida", "iida@quillback.example")


def say(text: str) -> None:
    print(text, flush=True)


def main() -> int:
    options = _options()
    signal.signal(signal.SIGTERM, _interrupt)
    signal.signal(signal.SIGHUP, _interrupt)
    try:
        with contextlib.ExitStack() as stack:
            _run(stack, options)
    except KeyboardInterrupt:
        say("Stopped. What was there is kept; bin/up starts it again.")
    except RampaError as error:
        say(f"bin/up: {error.sentence()}")
        return 1
    return 0


def _options() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="bin/up", description="Start Rampa on this machine, until Ctrl-C.")
    parser.add_argument("--no-demo", action="store_true", help="do not fill an empty service with the demo")
    parser.add_argument("--new-password", action="store_true", help="give the owner a new password and print it")
    return parser.parse_args()


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _run(stack: contextlib.ExitStack, options: argparse.Namespace) -> None:
    root = Path(os.environ["RAMPA_ROOT"])
    data = Path(os.environ.get("RAMPA_DATA") or root / ".rampa")
    data.mkdir(parents=True, exist_ok=True)
    stack.enter_context(only_one(data))
    folder = ServiceFolder(data / "service")
    folder.prepare()
    say("Starting PostgreSQL on loopback …")
    postgres = private_server(data / "postgres")
    server = postgres.start()
    if server is not None:
        stack.callback(stop, server, signal.SIGINT)
    url = postgres.url()
    migrate(url)
    first, password = _prepare(folder, url, options.new_password)
    port = folder.port()
    say("Starting the service …")
    # Ended in the opposite order of their starts: agents let go of their runs while the service still answers.
    service = start_service(folder, url, port, root / "console" / "dist")
    stack.callback(stop, service, signal.SIGTERM)
    address = f"http://127.0.0.1:{port}"
    _tell_command_line(data, address)
    worker = start_worker(folder, url)
    stack.callback(stop, worker, signal.SIGTERM)
    agents = Agents(root, data, address, folder, url)
    children = {"the service": service, "the worker of the job queue": worker}
    for name in agents.names:
        children[f"the agent {name}"] = agents.start(name)
        stack.callback(stop, children[f"the agent {name}"], signal.SIGTERM)
    if first and password and not options.no_demo:
        _seed(root, data, address, password)
    _print_sign_in(root, data, address, password)
    watch(children, server)


def _prepare(folder: ServiceFolder, url: str, new_password: bool) -> tuple[bool, str | None]:
    """Sweeps what a killed service left half-written, and makes the owner on the first start: (is it the first, password)."""
    store = open_store(folder.store)
    store.sweep()
    master = read_masters(folder.master_key.read_text())
    services = Services(Database(url, pool_size=1), store, master)
    try:
        made = people.first_start(services, STUDIO, *OWNER)
        if made is None and new_password:
            return False, people.new_password(services, OWNER[1])
        return made is not None, made
    finally:
        services.db.engine.dispose()


def _seed(root: Path, data: Path, address: str, password: str) -> None:
    say("Filling it with the demo: folders, a git repository, builds, runs on two agents (about a minute and a half) …")
    environment = {**os.environ, "RAMPA_PASSWORD": password, "PYTHONPATH": str(root)}
    command = [sys.executable, "-m", "demo.seed", str(data / "demo"), address, OWNER[1]]
    if subprocess.run(command, env=environment, check=False, cwd=root).returncode != 0:
        say("The demo could not be filled in; the service runs all the same. The lines above say why.")


def _tell_command_line(data: Path, address: str) -> None:
    """bin/rampa then knows where to sign in; a token that was kept for the same address stays."""
    os.environ["RAMPA_HOME"] = str(data / "home")
    known = home.load()
    if known is None or known.address != address:
        home.save(home.Credentials(address, known.token if known else "", known.email if known else OWNER[1]))


def _print_sign_in(root: Path, data: Path, address: str, password: str | None) -> None:
    say("")
    say(f"Rampa runs at {address}")
    if password:
        say(f"Sign in as      {OWNER[1]}")
        say(f"with password   {password}      (shown this once)")
    else:
        say(f"Sign in as {OWNER[1]}; its password was shown at the first start (bin/up --new-password gives another).")
    say(f"Command line:   {root / 'bin' / 'rampa'} sign-in")
    say(f"Demo folders:   {data / 'demo'}")
    say("Ctrl-C stops it and keeps everything.")


def watch(children: dict[str, Child], server: Child | None) -> None:
    while True:
        time.sleep(0.5)
        for name, child in children.items():
            if child.poll() is not None:
                hint = "Its log lies in .rampa/service or .rampa/agents."
                raise Conflict("child.ended", f"{name} ended by itself", hint=hint)
        if server is not None and server.poll() is not None:
            raise Conflict("postgres.ended", "PostgreSQL ended by itself", hint="Start again with bin/up.")


@contextlib.contextmanager
def only_one(data: Path) -> Iterator[None]:
    fd = os.open(data / "lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        # The lock ends with the process, however that ends: a file that says "running" would outlive it.
        fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        yield
    except BlockingIOError as error:
        raise Conflict(
            "up.running", f"Rampa runs already with the data in {data}", hint="Stop that one first, or set RAMPA_DATA."
        ) from error
    finally:
        os.close(fd)


if __name__ == "__main__":
    sys.exit(main())
