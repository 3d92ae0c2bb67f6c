"""Rows of channels: how many devices can ask and report, and whether the health test keeps its promise.

Asking and reporting are counted by what the answering processes work, not by how fast the asking one is: asks for each
second of a core. Peers: nginx with a file of the same size, and COPY of the same rows. The health test stands beside what it
promises.
"""

from __future__ import annotations

import datetime as dt
import http.client
import io
import random
import subprocess
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from itertools import pairwise
from pathlib import Path
from urllib.parse import urlsplit

import psutil
import psycopg
from tests.samples import build, make_folder

from bench.rows import Figure, Tree
from bench.runs import TITLE, World, world
from rampa.core.health.comparison import ALL, ERROR, Key, Part, Trouble, Verdict, compare
from rampa.core.health.odds import Span
from rampa.core.health.sequential import Count
from rampa.core.placement.channels import Audience
from rampa.local.front import Front, find_nginx, new_folder, start_front
from rampa.local.postgres import free_port
from rampa.schema.channels import ChannelChange
from rampa.schema.health import HealthBatch, HealthEvent

ASKS = 3000
BATCHES = 400
ROLLOUTS = 10_000
LOOKS = [10, 15, 22, 33, 50, 75, 110, 165, 250, 375, 560, 840, 1260, 1900, 2850]
"""Sessions of each of the two builds at which the test is looked at."""
CRASH, WORSE = 0.01, 0.05
PARTS = [Part("class", f"form-{n}") for n in range(4)]


def ask_rate(tree: Tree) -> list[Figure]:
    """A channel's offer: from the service itself, and from the front that comes with it."""
    at = world(tree.scratch)
    path = _placed(at, tree.scratch)
    size = len(_get(at.address, path))
    own = _asked(at.address, path, at.service.pid)
    if not find_nginx():
        return [Figure("device-ask-rate", 1 / own, None, "/s", 1.0, "nginx is not here")]
    folder = new_folder()
    front = Front(f"127.0.0.1:{free_port()}", urlsplit(at.address).netloc, folder)
    process = start_front(front, folder / "log")
    try:
        through = _asked(f"http://{front.listen}", path, process.pid)
    finally:
        process.terminate()
        process.wait()
    static = _static(tree.scratch, size)
    note = f"{size} bytes; seconds of a core for one; the service alone {1 / own:,.0f}/s"
    return [
        Figure("device-ask-rate-front", through * 1e6, static * 1e6, "us", 2.0, note),
        Figure("device-ask-rate-service", own * 1e6, static * 1e6, "us", 100.0, f"{1 / own:,.0f} asks/s of a core"),
    ]


def report_rate(tree: Tree) -> list[Figure]:
    """Batches of ten sessions, beside COPY of the same rows."""
    at = world(tree.scratch)
    _placed(at, tree.scratch)
    now = time.time()
    with at.client() as client:
        title = client.titles.get(TITLE)
        with psycopg.connect(at.database) as connection:
            row = connection.execute("select reports from title where slug = %s", [TITLE]).fetchone()
        assert row
        moment = dt.datetime.fromtimestamp(now, dt.UTC)
        events = [HealthEvent(at=moment, build=1, kind=Trouble.SESSION, bad=False, seconds=60) for _ in range(10)]
        batches = [
            HealthBatch(
                token=row[0], device=f"{n:032x}", number=0, sent_at=moment, form="desk-1", level="7", events=events
            )
            for n in range(BATCHES)
        ]
        began = time.perf_counter()
        for batch in batches:
            client.health.report(title.identifier, batch)
        own = (time.perf_counter() - began) / (10 * BATCHES)
    theirs = _copied(at, 10 * BATCHES)
    return [
        Figure(
            "report-rate", own * 1e6, theirs * 1e6, "us", 200.0, f"{1 / own:,.0f} events/s, one caller, batches of ten"
        )
    ]


def health_promise(tree: Tree) -> list[Figure]:
    """10,000 rollouts of a build that is as good as the one before, and of one that crashes on one class of four."""
    del tree
    half = ROLLOUTS // 2
    with ProcessPoolExecutor(2) as processes:
        alarms = list(processes.map(partial(_alarms, CRASH, CRASH, half), (1, 2)))
        found = list(processes.map(partial(_alarms, CRASH, WORSE, half // 10), (3, 4)))
        devices = list(processes.map(partial(_clustered, half // 5), (5, 6)))
    said = f"{ROLLOUTS:,} rollouts, {len(LOOKS)} looks to {LOOKS[-1]:,} sessions each"
    power = sum(a for a, _ in found) / (2 * (half // 10))
    needed = sorted(n for _, seen in found for n in seen)
    middle = f"half are found by {needed[len(needed) // 2]:,} sessions" if needed else "none was found"
    return [
        Figure("health-false-alarms", sum(a for a, _ in alarms) / ROLLOUTS, ERROR, "share", 1.0, said),
        Figure(
            "health-false-alarms-devices",
            sum(devices) / (2 * (half // 5)),
            ERROR,
            "share",
            1.0,
            "three of each device, which differ",
        ),
        Figure("health-power", power, 1.0, "share", 1.0, f"one class of {len(PARTS)} at {WORSE:.0%}; {middle}"),
    ]


def _alarms(usual: float, odd: float, rollouts: int, seed: int) -> tuple[int, list[int]]:
    """How many were called worse, and at how many sessions. One class of the new build crashes at the rate `odd`."""
    draw, seen = random.Random(seed), []
    for _ in range(rollouts):
        at = _one(draw, usual, odd)
        if at:
            seen.append(at)
    return len(seen), seen


def _one(draw: random.Random, usual: float, odd: float) -> int:
    spans: dict[Part, list[Span]] = {part: [] for part in (ALL, *PARTS)}
    for before, now in pairwise([0, *LOOKS]):
        more = (now - before) // len(PARTS) + 1
        whole = Span(Count(), Count())
        for n, part in enumerate(PARTS):
            new = Count(_bad(draw, more, odd if n == 0 else usual), more)
            old = Count(_bad(draw, more, usual), more)
            spans[part].append(Span(new, old))
            whole = Span(whole.new + new, whole.old + old)
        spans[ALL].append(whole)
        observed = {Key(part, Trouble.SESSION, 1): seen for part, seen in spans.items()}
        if compare(observed).verdict == Verdict.WORSE:
            return now
    return 0


def _clustered(rollouts: int, seed: int) -> int:
    """The same without a difference, where each device has a rate of its own and reports three sessions."""
    draw, alarms = random.Random(seed), 0
    for _ in range(rollouts):
        turns: dict[Key, list[Span]] = {Key(ALL, Trouble.SESSION, n): [] for n in (1, 2, 3)}
        for before, now in pairwise([0, *LOOKS]):
            devices = (now - before) // 3 + 1
            rates = [[draw.betavariate(0.05, 4.95) for _ in range(devices)] for _ in range(2)]
            for spans in turns.values():
                new, old = (Count(sum(draw.random() < r for r in arm), devices) for arm in rates)
                spans.append(Span(new, old))
            if compare(turns).verdict == Verdict.WORSE:
                alarms += 1
                break
    return alarms


def _bad(draw: random.Random, count: int, rate: float) -> int:
    return sum(draw.random() < rate for _ in range(count))


def _placed(at: World, scratch: Path) -> str:
    """A build that is live for everybody; made once for all rows. The path of its offer."""
    with at.client() as client:
        title = client.titles.get(TITLE)
        if not client.channels.get(TITLE, "early").live:
            made = build(client, make_folder(scratch / "source", 200_000), scratch / "state")
            number = made.build.number
            client.channels.change(TITLE, "early", ChannelChange(audience=Audience.FOR_EVERYBODY))
            client.channels.place(TITLE, "early", number, client.channels.preview(TITLE, "early", number).etag)
        return f"/api/v1/offers/{title.identifier}/early/linux"


def _get(address: str, path: str) -> bytes:
    connection = http.client.HTTPConnection(urlsplit(address).netloc)
    connection.request("GET", path)
    answer = connection.getresponse()
    assert answer.status == 200, answer.status
    return answer.read()


def _asked(address: str, path: str, pid: int) -> float:
    """Seconds of a core that one ask takes of a process and its children."""
    connection = http.client.HTTPConnection(urlsplit(address).netloc)

    def ask(count: int) -> None:
        for _ in range(count):
            connection.request("GET", path)
            connection.getresponse().read()

    ask(50)
    return _worked(pid, lambda: ask(ASKS)) / ASKS


def _worked(pid: int, work: Callable[[], None]) -> float:
    def spent() -> float:
        total: float
        all_of_it = [psutil.Process(pid), *psutil.Process(pid).children(recursive=True)]
        total = sum(p.cpu_times().user + p.cpu_times().system for p in all_of_it)
        return total

    before = spent()
    work()
    return max(spent() - before, 0.01)


def _static(scratch: Path, size: int) -> float:
    folder = scratch / "static"
    folder.mkdir(exist_ok=True)
    folder.chmod(0o755)
    (folder / "offer").write_bytes(bytes(size))
    port = free_port()
    settings = f"""worker_processes 1; daemon off; pid {folder}/pid; error_log {folder}/log; user root;
events {{}} http {{ access_log off; server {{ listen 127.0.0.1:{port}; root {folder}; }} }}"""
    (folder / "conf").write_text(settings)
    process = subprocess.Popen([find_nginx(), "-p", str(folder), "-c", str(folder / "conf")], stderr=subprocess.DEVNULL)
    try:
        address = f"http://127.0.0.1:{port}"
        for _ in range(200):
            try:
                _get(address, "/offer")
                break
            except OSError:
                time.sleep(0.05)
        return _asked(address, "/offer", process.pid)
    finally:
        process.terminate()
        process.wait()


def _copied(at: World, count: int) -> float:
    columns = "build_id, device, at, kind, bad, cause, seconds, form, level, turn, simulated"
    with psycopg.connect(at.database) as connection:
        row = connection.execute("select build_id from health_event limit 1").fetchone()
        assert row
        connection.execute("create temp table copied (like health_event including all)")
        line = f"{row[0]}\tab\t2026-11-29T12:00:00Z\tsession\tf\t\t60\tdesk-1\t7\t1\tf\n"
        began = time.perf_counter()
        with connection.cursor().copy(f"copy copied ({columns}) from stdin") as copy:
            copy.write(io.StringIO(line * count).getvalue())
        connection.commit()
        return (time.perf_counter() - began) / count
