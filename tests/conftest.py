"""What tests share: a private PostgreSQL, a database and a service for each test, a live service for commands and the console."""

from __future__ import annotations

import itertools
import os
import shutil
import signal
import tempfile
from collections.abc import Callable, Iterator
from contextlib import nullcontext
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from unittest.mock import patch

import httpx
import psycopg
import pytest
from argon2 import PasswordHasher
from coverage import Coverage
from hypothesis import settings as hypothesis_settings
from sqlalchemy import Engine

from rampa.client import Client
from rampa.client.bearer import Bearer
from rampa.client.connection import Connection
from rampa.client.devices.bearer import DeviceBearer
from rampa.client.people.sign_in import token_for
from rampa.db.base import Database, make_engine
from rampa.db.migrate import migrate
from rampa.local.postgres import FAST_FOR_TESTS, Postgres, free_port, private_server
from rampa.local.service import Child, ServiceFolder, start_service, stop
from rampa.operations.base.context import Actor, Services
from rampa.operations.people import people, sessions, tokens
from rampa.schema.common import Role
from rampa.schema.people import NewPerson, NewToken
from rampa.service.wiring import make_app
from rampa.standin.device import new_identity
from rampa.store.folder import FolderStore
from tests import agents
from tests.gits import ANYWHERE
from tests.hits import Hits, record
from tests.memory import Memory, drop_database, make_database, plain
from tests.nursery import nursery

hypothesis_settings.register_profile("rampa", deadline=None, max_examples=60)
hypothesis_settings.load_profile("rampa")

MASTER = bytes(range(32))
OWNER = "iida@quillback.example"
NUMBERS = itertools.count(1)
# For services and workers that tests start as processes.
os.environ |= {"RAMPA_SOURCE_FOLDERS": "/", "RAMPA_SOURCE_HOSTS": "127.0.0.1,localhost"}
CONSOLE = Path(__file__).parent.parent / "console" / "dist"


def pytest_configure(config: pytest.Config) -> None:
    config.pluginmanager.register(Hits(config), "hits")


@pytest.hookimpl(trylast=True)
def pytest_sessionfinish() -> None:
    """A process that takes long to leave is killed: what it measured is written before."""
    measured = Coverage.current()
    if measured:
        measured.save()


FIRST = ("ends", "console", "demo", "local", "cli", "service")
"""Folders whose files take longest: begun first, they leave no process waiting for another at the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    def turn(item: pytest.Item) -> int:
        folder = item.nodeid.split("/")[1]
        return FIRST.index(folder) if folder in FIRST else len(FIRST)

    items.sort(key=turn)


@pytest.fixture(scope="session")
def postgres() -> Iterator[Postgres]:
    folder = Path(tempfile.mkdtemp(prefix="rampa-test-"))
    folder.chmod(0o755)
    server = private_server(folder / "postgres", FAST_FOR_TESTS)
    process = server.start()
    migrate(server.url())
    # Each test has a database of its own; the service never makes one.
    with psycopg.connect(server.cluster_url(), autocommit=True) as connection:
        connection.execute("alter role rampa createdb")
    yield server
    if process:
        stop(process, signal.SIGINT)
    shutil.rmtree(folder, ignore_errors=True)
    if server.folder != folder / "postgres":
        shutil.rmtree(server.folder, ignore_errors=True)


@pytest.fixture
def database_url(postgres: Postgres) -> Iterator[str]:
    """A fresh database, copied from the migrated one."""
    name = f"test_{os.getpid()}_{next(NUMBERS)}"
    base = postgres.url()
    admin, template = plain(base)
    make_database(admin, name, template)
    yield base.rsplit("/", 1)[0] + f"/{name}"
    drop_database(admin, name)


@pytest.fixture(scope="session")
def memory(postgres: Postgres) -> Iterator[Memory]:
    made = Memory()
    yield made
    made.forget()


Begun = Callable[[Callable[[], object]], None]
Lives = Callable[[Callable[[Client], object]], "Live"]


@dataclass
class World:
    """A service in this process: its use cases, its application, clients by role."""

    services: Services
    app: object
    owner_password: str

    def token(self, role: Role = Role.OWNER, days: int = 1) -> str:
        if role == Role.AGENT:
            return agents.enrolled(self._unknown(), self.services, "walker").current()
        if role == Role.DEVICE:
            return self._device_token()
        if role == Role.OWNER:
            email, password = OWNER, self.owner_password
        else:
            email, password = f"{role}@quillback.example", "a long enough password"
            if email not in {p.email for p in people.list_people(self.services)}:
                person = NewPerson(name=role.value.title(), email=email, role=role, password=password)
                people.add_person(self.services, self.actor(), person, None)
        session, _ = sessions.sign_in(self.services, email, password)
        actor = Actor(_uuid(session.person.id), session.person.name, role)
        return tokens.make_token(self.services, actor, NewToken(name="test", days=days)).secret

    def _device_token(self) -> str:
        """Of a device that the owner registered; a title and its channel are made where there are none."""
        from tests.samples import import_title

        with self.client() as owner, self._unknown() as unknown:
            if not owner.titles.all():
                import_title(owner)
            slug = sorted((t.slug for t in owner.titles.all()), key=lambda s: s != "peatlight")[0]
            code = owner.testers.registration_code(slug, "studio").code
            asked, key = new_identity(code, f"walked-{next(NUMBERS)}", "linux", "")
            made = unknown.devices.register_by_code(asked)
            return DeviceBearer(unknown, made.device_id, key, lambda: nullcontext(1)).current()

    def actor(self) -> Actor:
        owner = next(p for p in people.list_people(self.services) if p.email == OWNER)
        return Actor(_uuid(owner.id), owner.name, Role.OWNER)

    def client(self, role: Role = Role.OWNER) -> Client:
        return self._client(self.token(role))

    def _unknown(self) -> Client:
        return self._client("")

    def _client(self, token: str) -> Client:
        at = "http://rampa.test"
        return Client(at, connection=Connection(at, token, transport=self.transport(), patience=0))

    def transport(self) -> httpx.BaseTransport:
        return httpx.WSGITransport(app=self.app, raise_app_exceptions=False)  # type: ignore[arg-type]


class Standing:
    """The services of the test that runs: the application that stands over them is made once, which takes a second."""

    now_in: Services

    def __getattr__(self, name: str) -> object:
        return getattr(self.now_in, name)


@pytest.fixture(scope="session")
def standing() -> tuple[Standing, object]:
    services = Standing()
    app = make_app(services)  # type: ignore[arg-type]
    record(app)
    return services, app


@pytest.fixture(scope="session", autouse=True)
def cheap_passwords() -> None:
    """In this process only: what a password's hash costs is not what these tests are about."""
    hasher = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
    people._hasher = lambda: hasher  # type: ignore[assignment]


@pytest.fixture(scope="session")
def engine() -> Callable[[str], Engine]:
    """One engine for the databases of all tests, one after the other: it knows a statement's SQL once it was asked for, and
    working out the same for each test took a third of their time."""
    at = ""
    made = make_engine("postgresql+psycopg://", creator=lambda: psycopg.connect(at, connect_timeout=5))

    def of(url: str) -> Engine:
        nonlocal at
        made.dispose()
        at = url.replace("+psycopg", "")
        return made

    return of


@pytest.fixture
def world(
    database_url: str, tmp_path: Path, standing: tuple[Standing, object], engine: Callable[[str], Engine]
) -> Iterator[World]:
    services = Services(
        Database(database_url, engine=engine(database_url)), FolderStore(tmp_path / "store"), MASTER, reach=ANYWHERE
    )
    password = people.first_start(services, "Quillback Works", "Iida", OWNER)
    assert password
    standing[0].now_in = services
    yield World(services, standing[1], password)
    services.db.engine.dispose()


@pytest.fixture
def client(world: World) -> Iterator[Client]:
    with world.client() as made:
        yield made


@pytest.fixture
def begun(world: World, client: Client, tmp_path: Path, memory: Memory) -> Callable[[Callable[[], object]], None]:
    """Has a function fill the world and `tmp_path` for the first test that asks; the next ones get a copy."""

    def begin_with(fill: Callable[[], object]) -> None:
        def filled() -> str:
            fill()
            world.services.db.engine.dispose()
            return world.owner_password

        world.services.db.engine.dispose()
        key = f"{fill.__module__}.{fill.__qualname__}"
        url = world.services.db.url
        world.owner_password = memory.bring(key, url, tmp_path, filled)
        client.connection.bearer = Bearer(world.token())
        client.connection._http.auth = client.connection.bearer

    return begin_with


def _uuid(text: str):  # type: ignore[no-untyped-def]
    import uuid

    return uuid.UUID(text)


@dataclass
class Live:
    """A real service process on loopback, that can be killed and started again."""

    folder: ServiceFolder
    url: str
    port: int
    owner_password: str
    console: Path | None = None
    process: Child | None = None

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        # Found by its name, as bin/up has it: passkeys have no use for a number.
        with patch.dict(os.environ, RAMPA_ORIGIN=f"http://localhost:{self.port}"):
            self.process = start_service(self.folder, self.url, self.port, self.console, start=nursery().start_child)

    def kill(self) -> None:
        """kill -9, of the master and its worker, as a power cut would."""
        assert self.process
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()

    def stop_service(self) -> None:
        if self.process:
            stop(self.process, signal.SIGTERM)

    def stop(self) -> None:
        if self.process and self.process.poll() is None:
            self.kill()  # nobody waits for an answer any more

    def client(self) -> Client:
        _, token = token_for(self.address, OWNER, self.owner_password, "test")
        return Client(self.address, token.secret)

    def worker(self, **others: Any) -> Services:
        return worker_of(self.folder, Database(self.url), **others)


def worker_of(folder: ServiceFolder, database: Database, **others: Any) -> Services:
    """What the worker of a service would have, in this process."""
    master = bytes.fromhex(folder.master_key.read_text().strip())
    return Services(database, FolderStore(folder.store), master, **others)


def start_live(database_url: str, root: Path) -> Live:
    """A service of its own over a migrated, empty database."""
    folder = ServiceFolder(root / "service")
    folder.prepare()
    services = worker_of(folder, Database(database_url), reach=ANYWHERE)
    password = people.first_start(services, "Quillback Works", "Iida", OWNER)
    services.db.engine.dispose()
    assert password
    running = Live(folder, database_url, free_port(), password, CONSOLE)
    running.start()
    return running


@pytest.fixture
def live(database_url: str, tmp_path: Path) -> Iterator[Live]:
    running = start_live(database_url, tmp_path)
    yield running
    running.stop()


@pytest.fixture
def lives(
    database_url: str,
    tmp_path: Path,
    memory: Memory,
    standing: tuple[Standing, object],
    engine: Callable[[str], Engine],
) -> Iterator[Callable[[Callable[[Client], object]], Live]]:
    """A real service over what a function filled in, once for all tests that begin with it."""
    running: list[Live] = []

    def begin_with(fill: Callable[[Client], object]) -> Live:
        folder = ServiceFolder(tmp_path / "service")

        def filled() -> str:
            folder.prepare()
            services = worker_of(folder, Database(database_url, engine=engine(database_url)), reach=ANYWHERE)
            password = people.first_start(services, "Quillback Works", "Iida", OWNER)
            assert password
            standing[0].now_in = services
            with World(services, standing[1], password).client() as client:
                fill(client)
            services.db.engine.dispose()
            return password

        password = memory.bring(f"{fill.__module__}.{fill.__qualname__}", database_url, tmp_path, filled)
        running.append(Live(folder, database_url, free_port(), password, CONSOLE))
        running[-1].start()
        return running[-1]

    yield begin_with
    for each in running:
        each.stop()
