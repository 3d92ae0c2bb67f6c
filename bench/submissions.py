"""Rows of submissions: a bundle of a gigabyte to a storefront beside curl to the same one, and the review desk's page with 5,000
builds before reviewers beside the same question in SQL.
"""

from __future__ import annotations

import base64
import hashlib
import os
import signal
import subprocess
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import httpx
import psycopg
from sqlalchemy import select
from tests.samples import build, make_folder
from tests.shops import let_in

from bench.peers import missing
from bench.rows import Figure, Tree, median_of
from bench.runs import TITLE, World, crowd, figures, world
from rampa.core.bundle.sources import FileBytes
from rampa.db import BuildRow, ChannelRow, Database, new_id
from rampa.local.postgres import free_port
from rampa.local.service import ServiceFolder, stop
from rampa.local.storefronts import start_storefront
from rampa.schema.storefronts import API
from rampa.storefronts.http_storefront import HttpStorefront
from rampa.storefronts.port import Sending

SIZE = int(os.environ.get("RAMPA_BENCH_UPLOAD", "1000000000"))
ROUNDS = 3
REVIEWS = 5_000
QUEUE = """
select r.number, r.state, r.promised, r.since, r.claimed_by, b.number, b.version_name, b.platform, c.name, t.slug
from review r join build b on b.id = r.build_id join channel c on c.id = r.channel_id join title t on t.id = r.title_id
where r.state in ('waiting', 'reviewing', 'question') order by r.promised, r.id limit 51"""
INSERT = """
insert into review (id, created_at, title_id, number, build_id, channel_id, state, notes, made_by, maker_id, since, promised,
  moved_at, claimed_by)
values (%(id)s, now(), %(title)s, %(n)s, %(build)s, %(channel)s, 'waiting', '', 'Iida', %(id)s, now(),
  now() + %(n)s * interval '1 minute', now(), '')"""


@dataclass
class Browsed:
    """A storefront as a person's browser sees it."""

    address: str

    def http(self) -> httpx.Client:
        return httpx.Client(base_url=self.address, trust_env=False)


def upload(tree: Tree) -> list[Figure]:
    """The storefront reads and hashes what comes, for both alike."""
    at = world(tree.scratch)
    folder, port = ServiceFolder(tree.scratch / "shop"), free_port()
    folder.prepare()
    process = start_storefront(at.postgres, folder, "northquay", port, "operator")
    try:
        address = f"http://127.0.0.1:{port}"
        _wait_for(address)
        token = let_in(Browsed(address))[1]["access_token"]  # type: ignore[arg-type]
        file = tree.scratch / "bundle.bin"
        digest = _random_file(file)
        ours = median_of(ROUNDS, lambda: _sent(address, token, file, digest))
        note = missing("curl")
        theirs = None if note else median_of(ROUNDS, lambda: _curled(address, token, file, digest))
    finally:
        stop(process, signal.SIGTERM)
    return [Figure("submission-upload-time-curl", ours, theirs, "s", 1.2, note)]


def _wait_for(address: str) -> None:
    end = time.monotonic() + 60
    while time.monotonic() < end:
        try:
            httpx.get(f"{address}{API}/about", trust_env=False)
            return
        except httpx.TransportError:
            time.sleep(0.1)
    raise TimeoutError(address)


def _random_file(file: Path) -> str:
    digest = hashlib.sha256()
    with file.open("wb") as out:
        for _ in range(0, SIZE, 1 << 22):
            piece = os.urandom(1 << 22)
            digest.update(piece)
            out.write(piece)
    return digest.hexdigest()


def _sent(address: str, token: str, file: Path, digest: str) -> float:
    started = time.perf_counter()
    with FileBytes(file) as source, httpx.Client(base_url=address, trust_env=False, timeout=120) as http:
        HttpStorefront(http, lambda: token, lambda _: None).send_bundle(source, digest, Sending())
    return time.perf_counter() - started


def _curled(address: str, token: str, file: Path, digest: str) -> float:
    """One request to begin, and one with all of it."""
    common = ["curl", "-sS", "--fail", "-H", f"Authorization: Bearer {token}", "-H", "Tus-Resumable: 1.0.0"]
    said = base64.b64encode(digest.encode()).decode()
    begin = [
        *common,
        "-X",
        "POST",
        "-H",
        f"Upload-Length: {file.stat().st_size}",
        "-H",
        f"Upload-Metadata: sha256 {said}",
    ]
    started = time.perf_counter()
    answer = subprocess.run([*begin, "-D", "-", f"{address}{API}/uploads"], check=True, capture_output=True, text=True)
    place = next(line.split()[1] for line in answer.stdout.splitlines() if line.lower().startswith("location:"))
    where = place if place.startswith("http") else address + place
    whole = [
        "-X",
        "PATCH",
        "-H",
        "Upload-Offset: 0",
        "-H",
        "Content-Type: application/offset+octet-stream",
        "-T",
        str(file),
    ]
    subprocess.run([*common, *whole, where], check=True, capture_output=True)
    return time.perf_counter() - started


def desk(tree: Tree) -> list[Figure]:
    at = world(tree.scratch)
    _fill(at, tree.scratch)
    ours = crowd(partial(_asking, at, "/api/v1/reviews?limit=50"))
    sql = crowd(partial(_querying, at))
    return figures("review-desk", ours, sql)


def _fill(at: World, scratch: Path) -> None:
    """5,000 builds before reviewers, each its own row; they share the content of one."""
    with at.client() as client:
        if next(iter(client.builds.all(TITLE, limit=1)), None) is None:
            build(client, make_folder(scratch / "reviewed", 100_000), scratch / "reviewed-state")
    with Database(at.database.replace("postgresql:", "postgresql+psycopg:")).transaction() as session:
        row = session.scalars(select(BuildRow).limit(1)).one()
        channel = session.scalars(
            select(ChannelRow).where(ChannelRow.title_id == row.title_id, ChannelRow.reviewed)
        ).one()
        ids = {"title": row.title_id, "build": row.id, "channel": channel.id}
    with psycopg.connect(at.database, autocommit=True) as connection:
        for n in range(1, REVIEWS + 1):
            connection.execute(INSERT, {**ids, "id": new_id(), "n": n})
        connection.execute("analyze review")


def _asking(at: World, path: str) -> Iterator[Callable[[], None]]:
    with at.client() as client:
        yield lambda: (client.connection.request("GET", path), None)[1]


def _querying(at: World) -> Iterator[Callable[[], None]]:
    with psycopg.connect(at.database, autocommit=True) as connection:
        yield lambda: (connection.execute(QUEUE).fetchall(), None)[1]
