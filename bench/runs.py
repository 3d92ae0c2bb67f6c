"""Rows of runs and builds: how soon a run starts, how fast its log travels, how lists answer with 10,000 builds.

A service, its worker and its database are started for them on loopback. Peers: PostgreSQL's own LISTEN and NOTIFY, a pipe
through `cat`, and the same questions asked straight in SQL.
"""

from __future__ import annotations

import concurrent.futures
import contextlib
import os
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path

import psutil
import psycopg
from tests.gits import peatlight
from tests.samples import add_key, import_title

from bench.rows import Figure, Tree, median_of
from rampa.agent.reporter import Reporter
from rampa.client import Client
from rampa.client.people.sign_in import token_for
from rampa.db.base import Database
from rampa.db.migrate import migrate
from rampa.local.postgres import Postgres, free_port, private_server
from rampa.local.service import Child, ServiceFolder, start_service, start_worker, stop
from rampa.operations.base.context import Services
from rampa.operations.people import people
from rampa.schema import agents as wire
from rampa.schema.runs import NewRuns
from rampa.schema.sources import SourceIn
from rampa.store.folder import FolderStore

TITLE = "peatlight"
BUILDS = 10_000
CLIENTS = 20
QUESTIONS = 25
LINES = 1_000_000
LATENCIES = 25


@dataclass
class World:
    """A live service with a worker; `database` is a plain address for psycopg."""

    address: str
    token: str
    database: str
    service: Child
    postgres: Postgres

    def client(self) -> Client:
        return Client(self.address, self.token)


@lru_cache(maxsize=1)
def world(root: Path) -> World:
    """Started once for all rows; ended by the last one that needs it (`end`)."""
    folder = Path(tempfile.mkdtemp(prefix="runs-", dir=root))
    folder.chmod(0o755)
    root.chmod(0o755)
    postgres = private_server(folder / "postgres")
    server = postgres.start()
    url = postgres.url()
    migrate(url)
    os.environ["RAMPA_SOURCE_FOLDERS"] = str(folder)
    place = ServiceFolder(folder / "service")
    place.prepare()
    services = Services(Database(url), FolderStore(place.store), bytes.fromhex(place.master_key.read_text().strip()))
    password = people.first_start(services, "Quillback Works", "Iida", "iida@quillback.example")
    assert password
    port = free_port()
    service = start_service(place, url, port, None, workers=2)
    worker = start_worker(place, url)
    ENDING.extend([(worker, signal.SIGTERM), (service, signal.SIGTERM), *([(server, signal.SIGINT)] if server else [])])
    address = f"http://127.0.0.1:{port}"
    _, token = token_for(address, "iida@quillback.example", password, "bench")
    made = World(address, token.secret, url.replace("+psycopg", ""), service, postgres)
    with made.client() as client:
        add_key(client)
        import_title(client)
        repo = peatlight(folder / "peatlight")
        client.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
        while client.sources.get(TITLE).fetched_at is None:
            time.sleep(0.1)
    return made


ENDING: list[tuple[Child, signal.Signals]] = []


def end() -> None:
    for process, how in ENDING:
        stop(process, how)
    ENDING.clear()


class Idle:
    """An agent that only takes runs, and remembers when."""

    def __init__(self, at: World, name: str) -> None:
        self._at, self._name, self._instance = at, name, uuid.uuid4().hex
        self._can = wire.AbilitiesWire(cores=2, memory=2**33, disk=2**36)
        self.taken: dict[int, tuple[float, wire.Work]] = {}
        self._over = threading.Event()
        with at.client() as client:
            client.agents.register(name, wire.RegisterIn(instance=self._instance, abilities=self._can, at_once=64))
        threading.Thread(target=self._ask, daemon=True).start()

    def _ask(self) -> None:
        with self._at.client() as client:
            while not self._over.is_set():
                holds = [work.lease for _, work in self.taken.values()][-60:]
                asked = wire.AskIn(instance=self._instance, abilities=self._can, holds=holds, wait=5)
                found = client.agents.ask_for_work(self._name, asked).work
                if found:
                    self.taken[found.run] = (time.perf_counter(), found)

    def stop(self) -> None:
        self._over.set()


def queue_latency(tree: Tree) -> list[Figure]:
    """From the answer of the starting call's beginning to the agent's having the run, beside one NOTIFY from one
    connection to another with the insert of a row before it."""
    at = world(tree.scratch)
    agent = Idle(at, "idle")
    times = []
    with at.client() as client:
        for _ in range(LATENCIES):
            time.sleep(0.15)
            began = time.perf_counter()
            (run,) = client.runs.start(TITLE, NewRuns(profiles=["linux-unsigned"]))
            while run.number not in agent.taken:
                time.sleep(0.0005)
            taken, work = agent.taken.pop(run.number)
            times.append(taken - began)
            client.agents.end_run("idle", work.lease, wire.EndIn(result="failed", code="step.failed"))
    agent.stop()
    own = statistics.median(times)
    theirs = median_of(LATENCIES, lambda: _notify(at.database))
    return [Figure("queue-latency-notify", own * 1000, theirs * 1000, "ms", 20, "a call, a plan, two jobs, an answer")]


def _notify(database: str) -> float:
    with psycopg.connect(database, autocommit=True) as near, psycopg.connect(database, autocommit=True) as far:
        far.execute("listen bench")
        near.execute("create temporary table if not exists t (n int)")
        began = time.perf_counter()
        with near.transaction():
            near.execute("insert into t values (1)")
            near.execute("notify bench")
        next(iter(far.notifies(timeout=5, stop_after=1)))
        return time.perf_counter() - began


def log_throughput(tree: Tree) -> list[Figure]:
    """A million lines from an agent's report over the service to a client that follows, beside the same lines through a
    pipe to `cat` and back. And what the service's memory grew by meanwhile."""
    at = world(tree.scratch)
    agent = Idle(at, "loud")
    with at.client() as client:
        (run,) = client.runs.start(TITLE, NewRuns(profiles=["linux-unsigned"]))
        while run.number not in agent.taken:
            time.sleep(0.01)
        work = agent.taken[run.number][1]
        before, mine = _memory(at.service.pid), psutil.Process().memory_info().rss
        watcher = _follow(at, run.number)
        began = time.perf_counter()
        report = Reporter(client, "loud", work)
        piece = b"".join(b"[ 42%%] bake marrow-bend %06d of the night\n" % n for n in range(1000))
        for _ in range(LINES // 1000):
            report.output(piece)
        report.end(wire.EndIn(result="failed", code="step.failed"))
        counted = int(watcher.communicate()[0])
        own = time.perf_counter() - began
        grown = (_memory(at.service.pid) - before) / 1e6
        grown_agent = (psutil.Process().memory_info().rss - mine) / 1e6
    agent.stop()
    assert counted >= LINES, counted
    theirs = _pipe(piece)
    return [
        Figure("log-million-lines-pipe", own, theirs, "s", 40, f"{LINES / own:,.0f} lines/s"),
        Figure(
            "log-memory-growth",
            max(grown, grown_agent),
            100.0,
            "MB",
            1,
            f"service {grown:.0f}, agent {grown_agent:.0f} MB",
        ),
    ]


def _follow(at: World, number: int) -> subprocess.Popen[bytes]:
    environment = {**os.environ, "RAMPA_ADDRESS": at.address, "RAMPA_TOKEN": at.token}
    rampa = [sys.executable, "-m", "rampa.cli.main", "run", "log", str(number), "--follow"]
    command = " ".join(rampa) + " | wc -l"
    return subprocess.Popen(["sh", "-c", command], stdout=subprocess.PIPE, env=environment)


def _memory(pid: int) -> int:
    top = psutil.Process(pid)
    return sum(p.memory_info().rss for p in (top, *top.children(recursive=True)))


def _pipe(piece: bytes) -> float:
    began = time.perf_counter()
    with subprocess.Popen(["cat"], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as cat:
        assert cat.stdin
        assert cat.stdout
        into = cat.stdin
        assert into
        thread = threading.Thread(target=lambda: [into.write(piece) for _ in range(LINES // 1000)] and into.close())
        thread.start()
        count = sum(1 for _ in cat.stdout)
        thread.join()
    assert count == LINES
    return time.perf_counter() - began


FILTERS = {
    "list": "limit=25",
    "filter": "limit=25&profile=linux-release&state=ready&branch=main&search=lantern",
}
COLUMNS = (
    "select build.*, title.slug, bundle.name, bundle.signature from build join title on title.id = build.title_id "
    "left join bundle on bundle.build_id = build.id "
)
LIST = COLUMNS + "where title.slug = %s order by number desc limit 26"
FILTER = (
    COLUMNS + "where title.slug = %s and profile = 'linux-release' and state = 'ready' and ref = 'branch/main' "
    "and (notes ilike '%%lantern%%' or version_name ilike '%%lantern%%' or commit like 'lantern%%') order by number desc limit 26"
)
LIVE = (
    "select p.build_id, c.name from placement p join channel c on c.id = p.channel_id "
    "where p.build_id = any(%s) and p.state = 'live'"
)
DEPOTS = "select * from depot where build_id = any(%s)"


def ten_thousand_builds(tree: Tree) -> list[Figure]:
    """20 clients at once; the peer asks the same of the database, 20 at once, without a service."""
    at = world(tree.scratch)
    _fill(at)
    out = []
    for name, query in FILTERS.items():
        path = f"/api/v1/titles/{TITLE}/builds?{query}"
        ours = crowd(partial(_asking, at, path))
        sql = crowd(partial(_querying, at, LIST if name == "list" else FILTER))
        out += figures(f"builds-{name}", ours, sql)
    path = f"/api/v1/titles/{TITLE}/builds/comparison?left=1&right=2"
    ours = crowd(lambda: _asking(at, path))
    both = COLUMNS + "where title.slug = %s and number in (1, 2)"
    return [*out, *figures("builds-compare", ours, crowd(lambda: _querying(at, both)))]


def figures(name: str, ours: list[float], theirs: list[float]) -> list[Figure]:
    def share(times: list[float], of: int) -> float:
        return sorted(times)[min(len(times) - 1, len(times) * of // 100)] * 1000

    return [Figure(f"{name}-sql-p{of}", share(ours, of), share(theirs, of), "ms", 12) for of in (50, 99)]


def crowd(make: Callable[[], Iterator[Callable[[], None]]]) -> list[float]:
    """Seconds of each question; every client has a connection of its own."""
    times: list[float] = []

    def one() -> None:
        with contextlib.closing(make()) as asking:  # type: ignore[type-var]
            ask = next(asking)
            ask()
            for _ in range(QUESTIONS):
                began = time.perf_counter()
                ask()
                times.append(time.perf_counter() - began)

    with concurrent.futures.ThreadPoolExecutor(CLIENTS) as threads:
        for done in [threads.submit(one) for _ in range(CLIENTS)]:
            done.result()
    return times


def _asking(at: World, path: str) -> Iterator[Callable[[], None]]:
    with at.client() as client:
        yield lambda: (client.connection.request("GET", path), None)[1]


def _querying(at: World, query: str) -> Iterator[Callable[[], None]]:
    with psycopg.connect(at.database, autocommit=True) as connection:
        columns = connection.execute("select * from build limit 0").description or ()
        place = next(i for i, c in enumerate(columns) if c.name == "id")

        def ask() -> None:
            ids = [row[place] for row in connection.execute(query, (TITLE,)).fetchall()]
            connection.execute(LIVE, (ids,)).fetchall()
            connection.execute(DEPOTS, (ids,)).fetchall()

        yield ask


def _fill(at: World) -> None:
    """Two real builds by real runs' calls, and rows like them up to 10,000."""
    from tests.samples import change_folder, make_folder

    from rampa.client.builds.maker import make_build

    folder = Path(tempfile.mkdtemp(prefix="builds-"))
    with at.client() as client:
        source = make_folder(folder / "source")
        make_build(client, TITLE, "linux-release", source, state=folder / "state")
        change_folder(source)
        make_build(client, TITLE, "linux-release", source, state=folder / "state")
    with psycopg.connect(at.database) as connection:
        columns = [
            c.name
            for c in connection.execute("select * from build limit 0").description or ()
            if c.name not in ("id", "number")
        ]
        said = {
            "notes": "case when n % 7 = 0 then 'a lantern at Marrow Bend ' || n else 'wagon ' || n end",
            "profile": "case n % 3 when 0 then 'linux-release' when 1 then 'windows-release' else 'linux-unsigned' end",
            "ref": "case n % 4 when 0 then 'branch/release/1.6' else 'branch/main' end",
        }
        listed = ", ".join(f'"{c}"' for c in columns)
        values = ", ".join(said.get(c, f'b."{c}"') for c in columns)
        connection.execute(
            f"insert into build (id, number, {listed}) select gen_random_uuid(), n, {values} "
            f"from generate_series(3, {BUILDS}) n, build b where b.number = 1"
        )
        connection.execute("update title set last_build = %s", (BUILDS,))
        connection.execute(
            "insert into depot select b.id, d.name, d.position, d.manifest, d.manifest_size, d.files, d.size, d.packed "
            "from build b, depot d join build o on o.id = d.build_id where o.number = 1 and b.number > 2"
        )
        connection.commit()
        connection.autocommit = True
        connection.execute("analyze")
