"""What bin/up runs once everything is installed: database, migrations, service, demo; until Ctrl-C."""

from __future__ import annotations

import argparse
import contextlib
import fcntl
import os
import secrets
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from rampa.cli.base import home
from rampa.core.errors import Conflict, RampaError
from rampa.core.signing.seal import read_masters
from rampa.db import Database
from rampa.db.migrate import migrate
from rampa.local.agents import Agents
from rampa.local.front import Front, find_nginx, new_folder, start_front
from rampa.local.keeper import Keeper
from rampa.local.postgres import free_port, private_server
from rampa.local.service import ServiceFolder, start_mailbox, start_screens, start_service, start_worker
from rampa.local.storefronts import OpenShop, open_storefronts
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
    # The demo's repository is a folder of this machine; others are for whoever starts this to list.
    # The simulated storefronts are on this machine, and so is the folder that a person works off.
    os.environ.setdefault("RAMPA_STOREFRONT_HOSTS", "127.0.0.1")
    os.environ.setdefault("RAMPA_HAND_OVER", str((data / "hand-over").resolve()))
    os.environ.setdefault("RAMPA_SOURCE_FOLDERS", str((data / "demo").resolve()))
    stack.enter_context(only_one(data))
    folder = ServiceFolder(data / "service")
    folder.prepare()
    say("Starting PostgreSQL on loopback …")
    postgres = private_server(data / "postgres")
    keeper = Keeper(say)
    stack.callback(keeper.stop)
    at: list[int] = []
    # On the port that it had: the others look for it there.
    keeper.keep("PostgreSQL", postgres.folder / "server.log", lambda: postgres.start(*at), signal.SIGINT)
    at.append(postgres.port())
    url = postgres.url()
    migrate(url)
    first, password = _prepare(folder, url, options.new_password, demo=not options.no_demo)
    port = folder.port()
    # Browsers give passkeys to a name, and without TLS to this one alone.
    os.environ.setdefault("RAMPA_ORIGIN", f"http://localhost:{port}")
    say("Starting the service …")
    console = root / "console" / "dist"
    at_port = _take_the_front(stack, keeper, folder, port) if find_nginx() else port
    screens = _screens_address(folder)
    keeper.keep("The service", folder.log, lambda: start_service(folder, url, at_port, console))
    address = f"http://127.0.0.1:{port}"
    _tell_command_line(data, address)
    keeper.keep("The worker of the job queue", folder.root / "worker.log", lambda: start_worker(folder, url))
    _show_screens(keeper, folder, screens, address)
    shops = open_storefronts(keeper, postgres, folder, known=not options.no_demo)
    letters = "" if os.environ.get("RAMPA_SMTP") else _show_letters(keeper, folder)
    agents = Agents(root, data, address, folder, url)
    for name in agents.names:
        keeper.keep(f"The agent {name}", agents.log(name), partial(agents.start, name))
    if first and password and not options.no_demo:
        _seed(root, data, address, password, shops)
    _print_sign_in(root, data, address, password, letters)
    for shop in shops:
        say(f"{shop.title + ':':<15} {shop.address}      (a simulated storefront; its operator: {shop.operator})")
    say("Ctrl-C stops it and keeps everything.")
    keeper.run()


def _take_the_front(stack: contextlib.ExitStack, keeper: Keeper, folder: ServiceFolder, port: int) -> int:
    """nginx on the service's port, and the port behind it that the service gets."""
    behind = free_port()
    # From it alone, the word for a client's address is taken.
    os.environ["RAMPA_PROXIES"] = "127.0.0.1"
    scratch = new_folder()
    stack.callback(shutil.rmtree, scratch, ignore_errors=True)
    front = Front(f"127.0.0.1:{port}", f"127.0.0.1:{behind}", scratch)
    log = folder.root / "front.log"
    keeper.keep("The web server in front", log, lambda: start_front(front, log))
    return behind


def _show_letters(keeper: Keeper, folder: ServiceFolder) -> str:
    """The page of this machine's mailbox, and its address: letters hold links, so only who started this is told."""
    port, secret = folder.port("mailbox.port"), secrets.token_urlsafe(16)
    log = folder.root / "mailbox.log"
    keeper.keep("The mailbox", log, lambda: start_mailbox(folder, port, secret))
    return f"http://127.0.0.1:{port}/{secret}/"


def _screens_address(folder: ServiceFolder) -> tuple[int, str]:
    """Where simulated devices are going to run: (port, secret); the service is told before it starts."""
    port, secret = folder.port("screens.port"), secrets.token_urlsafe(24)
    os.environ["RAMPA_SCREENS"] = f"http://127.0.0.1:{port}/{secret}"
    return port, secret


def _show_screens(keeper: Keeper, folder: ServiceFolder, at: tuple[int, str], address: str) -> None:
    log = folder.root / "screens.log"
    keeper.keep("The simulated devices", log, lambda: start_screens(folder, *at, address))


def _prepare(folder: ServiceFolder, url: str, new_password: bool, *, demo: bool) -> tuple[bool, str | None]:
    """Sweeps what a killed service left half-written, and makes the owner on the first start: (is it the first, password). The
    demo's studio is verified; another hands in who it is first."""
    store = open_store(folder.store)
    store.sweep()
    master = read_masters(folder.master_key.read_text())
    services = Services(Database(url, pool_size=1), store, master)
    try:
        made = people.first_start(services, STUDIO, *OWNER, verified=demo)
        if made is None and new_password:
            return False, people.new_password(services, OWNER[1])
        return made is not None, made
    finally:
        services.db.engine.dispose()


def _seed(root: Path, data: Path, address: str, password: str, shops: list[OpenShop]) -> None:
    say("Filling it with the demo: folders, a git repository, builds, runs on two agents (about a minute and a half) …")
    storefronts = ",".join(f"{shop.name}={shop.address}" for shop in shops)
    environment = {
        **os.environ,
        "RAMPA_PASSWORD": password,
        "PYTHONPATH": str(root),
        "RAMPA_DEMO_STOREFRONTS": storefronts,
    }
    command = [sys.executable, "-m", "demo.seed", str(data / "demo"), address, OWNER[1]]
    if subprocess.run(command, env=environment, check=False, cwd=root).returncode != 0:
        say("The demo could not be filled in; the service runs all the same. The lines above say why.")


def _tell_command_line(data: Path, address: str) -> None:
    """bin/rampa then knows where to sign in; a token that was kept for the same address stays."""
    os.environ["RAMPA_HOME"] = str(data / "home")
    known = home.load()
    if known is None or known.address != address:
        home.save(home.Credentials(address, known.token if known else "", known.email if known else OWNER[1]))


def _print_sign_in(root: Path, data: Path, address: str, password: str | None, letters: str) -> None:
    say("")
    say(f"Rampa runs at {address}")
    # Passkeys and storefronts know it by this name: who signs in here need not sign in once more.
    say(f"In a browser:   {os.environ['RAMPA_ORIGIN']}")
    if password:
        say(f"Sign in as      {OWNER[1]}")
        say(f"with password   {password}      (shown this once)")
    else:
        say(f"Sign in as {OWNER[1]}; its password was shown at the first start (bin/up --new-password gives another).")
    say(f"Command line:   {root / 'bin' / 'rampa'} sign-in")
    if letters:
        say(f"Its letters:    {letters}      (a mailbox on this machine; no letter leaves it)")
    say(f"Demo folders:   {data / 'demo'}")


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
