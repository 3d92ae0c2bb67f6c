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
import statistics
import subprocess
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from functools import partial
from itertools import pairwise
from pathlib import Path
from urllib.parse import urlsplit

import psutil
import psycopg
from sqlalchemy import select
from tests.samples import DOCUMENT, build, make_folder

from bench.rows import Figure, Tree
from bench.runs import TITLE, World, world
from rampa.core.build.life import BuildState
from rampa.core.health.comparison import ALL, ERROR, Key, Part, Trouble, Verdict, compare
from rampa.core.health.odds import Span
from rampa.core.health.sequential import Count
from rampa.core.placement.channels import Audience
from rampa.core.placement.life import PlacementState
from rampa.db import (
    BuildContentRow,
    BuildOriginRow,
    BuildRow,
    ChannelRow,
    Database,
    LineRow,
    PlacementChangeRow,
    PlacementRow,
    TitleRow,
    new_id,
)
from rampa.local.front import Front, find_nginx, new_folder, start_front
from rampa.local.postgres import free_port
from rampa.schema.channels import ChannelChange
from rampa.schema.health import HealthBatch, HealthEvent

ASKS = 3000
BATCHES = 400
ROLLOUTS = 10_000
TITLES, LINES, PAST, CLIENTS, QUESTIONS = 40, 8, 3, 20, 15
BOARD_SQL = """
select p.id, p.number, b.number, b.version_name, l.platform, l.storefront, c.name, t.slug, x.state, x.share, x.at
from placement p join line l on l.id = p.line_id join channel c on c.id = p.channel_id join build b on b.id = p.build_id
join title t on t.id = b.title_id
join lateral (select state, share, at from placement_change where placement_id = p.id order by at desc limit 1) x on true
where p.ended_at is null"""
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


def board_answer(tree: Tree) -> list[Figure]:
    """40 titles of 8 lines and 4 channels, each line with a past, asked for by 20 clients at once; beside the placements and
    their last changes straight in SQL, 20 at once from this same process."""
    at = world(tree.scratch)
    _fill_board(at)
    ours, theirs = _answers(partial(_ask_board, at)), _answers(partial(_ask_sql, at))
    note = f"{TITLES} titles, {LINES} lines, {CLIENTS} clients; the aim is 150 ms"
    return [
        Figure("board-answer-p50", ours[0], theirs[0], "ms", 2.0, note),
        Figure("board-answer-p99", ours[1], theirs[1], "ms", 2.0, note),
    ]


def _fill_board(at: World) -> None:
    platforms = ("linux", "windows", "macos", "android", "ios", "headset")
    kinds = [(p, "") for p in platforms] + [("linux", "northquay"), ("windows", "northquay")]
    database = Database(at.database.replace("postgresql://", "postgresql+psycopg://"))
    now = dt.datetime.now(dt.UTC)
    with at.client() as client:
        for n in range(TITLES):
            name = f"bog{n}"
            client.titles.add(DOCUMENT.replace("peatlight", name).replace("Peatlight", f"Bog {n}"))
    placed: list[PlacementRow] = []
    with database.transaction() as session:
        for title in session.scalars(select(TitleRow).where(TitleRow.slug.like("bog-%"))):
            channels = session.scalars(select(ChannelRow).where(ChannelRow.title_id == title.id)).all()
            for number, (platform, storefront) in enumerate(kinds[:LINES], 1):
                build = _build_row(title, number, platform, now)
                session.add(build)
                for channel in channels:
                    line = LineRow(channel=channel, platform=platform, storefront=storefront, created_at=now)
                    session.add(line)
                    for turn in range(PAST):
                        row = _placed_row(line, channel, build, number * 100 + turn, turn == PAST - 1, now)
                        session.add(row)
                        placed.append(row)
        # A change points at its placement by its number alone: the placements have to be there first.
        session.flush()
        session.add_all(_change(row, share) for row in placed for share in (10, 50, 1000))


def _build_row(title: TitleRow, number: int, platform: str, now: dt.datetime) -> BuildRow:
    return BuildRow(
        title=title, number=number, revision=1, profile="linux-release", platform=platform, purpose="release",
        state=BuildState.READY, version_name="1.6.0", version_code=number, bundle_name="b", created_by="bench",
        created_at=now, made=BuildOriginRow(), content=BuildContentRow(launch="bin/peatlight"),
    )  # fmt: skip


def _placed_row(
    line: LineRow, channel: ChannelRow, build: BuildRow, number: int, last: bool, now: dt.datetime
) -> PlacementRow:
    state = PlacementState.WHOLE if last else PlacementState.SUPERSEDED
    return PlacementRow(
        id=new_id(), line=line, channel_id=channel.id, number=number, build=build, state=state, share=1000,
        held_why="", health_said="", back=False, placed_by="bench", created_at=now,
        ended_at=None if last else now,
    )  # fmt: skip


def _change(row: PlacementRow, share: int) -> PlacementChangeRow:
    return PlacementChangeRow(
        id=new_id(), placement_id=row.id, at=row.created_at, state=row.state, share=share, by="bench", why=""
    )


def _ask_board(at: World) -> Callable[[], object]:
    """The bytes of the answer, as SQL's rows are those of the driver: to read them is the asking one's work."""
    # As a browser asks.
    headers = {"Authorization": f"Bearer {at.token}", "Accept-Encoding": "gzip"}
    place = urlsplit(at.address).netloc

    def ask() -> object:
        connection = http.client.HTTPConnection(place, timeout=60)
        connection.request("GET", "/api/v1/board", headers=headers)
        answer = connection.getresponse()
        assert answer.status == 200, answer.status
        return answer.read()

    return ask


def _ask_sql(at: World) -> Callable[[], object]:
    connection = psycopg.connect(at.database, autocommit=True)
    return lambda: connection.execute(BOARD_SQL).fetchall()


def _answers(make: Callable[[], Callable[[], object]]) -> tuple[float, float]:
    """(p50, p99) in milliseconds."""
    asks = [make() for _ in range(CLIENTS)]
    times: list[float] = []

    def ask(n: int) -> None:
        began = time.perf_counter()
        asks[n % CLIENTS]()
        times.append(1000 * (time.perf_counter() - began))

    def course(n: int) -> None:
        for _ in range(QUESTIONS):
            ask(n)

    for n in range(CLIENTS):
        ask(n)
    times.clear()
    with ThreadPoolExecutor(CLIENTS) as threads:
        list(threads.map(course, range(CLIENTS)))
    return statistics.median(times), statistics.quantiles(times, n=100)[98]


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
