"""The groups of rows. Every figure of ours stands beside its peer's from the same run, on the same data."""

from __future__ import annotations

import shutil
import subprocess
import sys
import time
from functools import lru_cache
from pathlib import Path

from bench import bundles, channels, delivery, filters, listings, ours, peers, players, runs, submissions
from bench.profiles import profile_rows
from bench.rows import Figure, Group, Tree, median_of
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import select
from rampa.local.postgres import free_port

ROUNDS = 3


@lru_cache(maxsize=2)
def packed(tree: Tree) -> tuple[ours.Packed, ours.Packed]:
    """Both releases, packed once, with the differences between them, for the rows that need them as a start."""
    first = ours.pack(tree.v1, tree.scratch / "packs")
    second = ours.pack(tree.v2, tree.scratch / "packs", before=first)
    ours.prepare(second, (tree.v1, tree.v2))
    return first, second


def pack_cold(tree: Tree) -> list[Figure]:
    sizes: list[int] = []

    def once() -> float:
        shutil.rmtree(tree.scratch / "cold", ignore_errors=True)
        made = ours.pack(tree.v1, tree.scratch / "cold")
        sizes.append(made.stored)
        return made.seconds

    own = median_of(ROUNDS, once)
    tar, zipped = tree.scratch / "v1.tar.zst", tree.scratch / "v1.zip"
    no_zstd, no_zip = peers.missing("tar", "zstd"), peers.missing("zip")
    tar_time = None if no_zstd else median_of(ROUNDS, lambda: peers.tar_zstd(tree.v1, tar))
    zip_time = None if no_zip else peers.zip6(tree.v1, zipped)
    tar_size = None if no_zstd else tar.stat().st_size
    zip_size = None if no_zip else zipped.stat().st_size
    return [
        Figure("pack-cold-time-tarzstd", own, tar_time, "s", 0.95, no_zstd),
        Figure("pack-cold-size-tarzstd", sizes[0], tar_size, "bytes", 0.94, no_zstd),
        Figure("pack-cold-time-zip", own, zip_time, "s", 0.1, no_zip),
        Figure("pack-cold-size-zip", sizes[0], zip_size, "bytes", 0.98, no_zip),
    ]


def pack_update(tree: Tree) -> list[Figure]:
    first, _ = packed(tree)

    def floor() -> float:
        started = time.perf_counter()
        read_tree(select(tree.v2, ours.ALL))
        return time.perf_counter() - started

    def own() -> float:
        shutil.rmtree(tree.scratch / "over", ignore_errors=True)
        return ours.pack(tree.v2, tree.scratch / "over", before=first).seconds

    return [Figure("pack-update-time-floor", median_of(ROUNDS, own), median_of(ROUNDS, floor), "s", 2)]


def pack_unchanged(tree: Tree) -> list[Figure]:
    first, _ = packed(tree)
    index = tree.scratch / "v1.index"
    ours.pack(tree.v1, tree.scratch / "same", before=first, index=index)
    time.sleep(0.3)
    ours.pack(tree.v1, tree.scratch / "same", before=first, index=index)
    own = median_of(5, lambda: ours.pack(tree.v1, tree.scratch / "same", before=first, index=index).seconds)
    note = peers.missing("rsync")
    theirs = None if note else median_of(5, lambda: peers.rsync_nothing(tree.v1, tree.scratch / "copy"))
    return [Figure("pack-unchanged-time-rsync", own, theirs, "s", 1.5, note)]


def update_bytes(tree: Tree) -> list[Figure]:
    """All that travels: differences, frames, manifest, locations, statement."""
    _, second = packed(tree)
    travels = second.update_bytes()
    aims = (0.70, 0.55) if tree.generated else (0.35, 0.15)
    out = []
    for row, aim, program in (("update-bytes-xdelta", aims[0], "xdelta3"), ("update-bytes-bsdiff", 0.55, "bsdiff")):
        note = peers.missing(program, "zstd")
        theirs = None if note else peers.differences(program, tree.v1, tree.v2, tree.scratch)[0]
        out.append(Figure(row, travels, theirs, "bytes", aim, note))
    note = peers.missing("zstd", "tar")
    theirs = None if note else peers.patch_from_bytes(tree.v1, tree.v2, tree.scratch)
    out.append(Figure("update-bytes-patchfrom", travels, theirs, "bytes", 0.78, note))
    note = peers.missing("rsync")
    theirs = None if note else _rsync_bytes(tree)
    out.append(Figure("update-bytes-rsync", travels, theirs, "bytes", aims[1], note))
    return out


def update_make(tree: Tree) -> list[Figure]:
    """Making and verifying the differences, beside making the peers' of the same changed files."""
    _, second = packed(tree)
    own = median_of(ROUNDS, lambda: ours.prepare(second, (tree.v1, tree.v2)).seconds)
    out = []
    for row, aim, program in (
        ("update-make-time-xdelta", 0.08, "xdelta3"),
        ("update-make-time-bsdiff", 0.12, "bsdiff"),
    ):
        note = peers.missing(program, "zstd")
        theirs = None if note else peers.differences(program, tree.v1, tree.v2, tree.scratch)[1]
        out.append(Figure(row, own, theirs, "s", aim, note))
    return out


def _rsync_bytes(tree: Tree) -> int:
    copy = tree.scratch / "rsync-bytes"
    _fresh_copy(tree.v1, copy)
    daemon = peers.Daemon(tree.v2, tree.scratch, free_port())
    try:
        return daemon.bytes(copy)
    finally:
        daemon.close()


def _fresh_copy(source: Path, copy: Path) -> None:
    shutil.rmtree(copy, ignore_errors=True)
    shutil.copytree(source, copy, symlinks=True)


def install(tree: Tree) -> list[Figure]:
    first, _ = packed(tree)
    own = median_of(ROUNDS, lambda: ours.install_seconds(first, tree.scratch / "installed"))
    note = peers.missing("tar", "zstd")
    theirs = None
    if not note:
        archive = tree.scratch / "v1.tar.zst"
        peers.tar_zstd(tree.v1, archive)
        theirs = median_of(ROUNDS, lambda: peers.untar(archive, tree.scratch / "untarred"))
    return [Figure("install-time-tarzstd", own, theirs, "s", 0.5, note)]


def update_apply(tree: Tree) -> list[Figure]:
    first, second = packed(tree)

    def own() -> float:
        ours.install_seconds(first, tree.scratch / "device")
        started = time.perf_counter()
        ours.installation(tree.scratch / "device").update(second.statement(2), second)
        return time.perf_counter() - started

    note = peers.missing("rsync")
    theirs = None
    if not note:
        daemon = peers.Daemon(tree.v2, tree.scratch, free_port())

        def their() -> float:
            _fresh_copy(tree.v1, tree.scratch / "rsync-apply")
            return daemon.update(tree.scratch / "rsync-apply")

        try:
            theirs = median_of(ROUNDS, their)
        finally:
            daemon.close()
    return [Figure("update-apply-time-rsync", median_of(ROUNDS, own), theirs, "s", 0.5, note)]


def memory(gigabytes: int) -> float:
    """Peak memory in MB of a process that packs and installs a tree of that size, half of it new to the other half."""
    command = [sys.executable, "-m", "bench.memory", str(gigabytes)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    return float(done.stdout.split()[-1])


def memory_rows(tree: Tree, sizes: tuple[int, ...] = (1, 10)) -> list[Figure]:
    """The aim is 300 MB: `theirs` is that limit, so the ratio must stay at or below 1."""
    return [Figure(f"memory-{n}g", memory(n), 300.0, "MB", 1.0, "theirs is the limit") for n in sizes]


def start(tree: Tree) -> list[Figure]:
    def run(*command: str) -> float:
        started = time.perf_counter()
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        return time.perf_counter() - started

    rampa = str(Path(sys.executable).parent / "rampa")
    own = median_of(15, lambda: run(rampa, "--help"))
    return [Figure("cli-start-time-python", own, median_of(15, lambda: run(sys.executable, "-c", "pass")), "s", 6)]


GROUPS = (
    Group(("pack-cold-time-tarzstd", "pack-cold-size-tarzstd", "pack-cold-time-zip", "pack-cold-size-zip"), pack_cold),
    Group(("filter-size-sound", "filter-size-blocks", "filter-size-code"), filters.filters),
    Group(("dictionary-size-plain",), filters.dictionary),
    Group(("pack-update-time-floor",), pack_update),
    Group(("pack-unchanged-time-rsync",), pack_unchanged),
    Group(("update-bytes-xdelta", "update-bytes-bsdiff", "update-bytes-patchfrom", "update-bytes-rsync"), update_bytes),
    Group(("update-make-time-xdelta", "update-make-time-bsdiff"), update_make),
    Group(("install-time-tarzstd",), install),
    Group(("update-apply-time-rsync",), update_apply),
    Group(("fresh-bytes-best", "fresh-bytes-xz", "delivery-make-time"), players.sizes),
    Group(("fresh-time-50", "fresh-time-500"), players.times),
    Group(("install-time-xz",), players.unpacking),
    Group(("install-memory",), players.memory),
    Group(("fresh-bytes-series", "skip-bytes-series", "store-bytes-series"), players.over_releases),
    Group(("memory-1g",), lambda tree: memory_rows(tree, (1,))),
    Group(("memory-10g",), lambda tree: memory_rows(tree, (10,))),
    Group(("cli-start-time-python",), start),
    Group(("profile-check-time-aim", "profile-check-time-tomllib"), profile_rows),
    Group(("listing-check-time-aim", "listing-check-time-tomllib"), listings.check),
    Group(("bundle-write-time-zip", "bundle-write-size-zip"), bundles.write),
    Group(("bundle-sign-time-sha256", "bundle-verify-time-sha256"), bundles.sign_and_verify),
    Group(("bundle-inspect-time-zipfile",), bundles.inspect),
    Group(("bundle-sign-memory-4g",), bundles.memory),
    Group(("queue-latency-notify",), runs.queue_latency),
    Group(("device-ask-rate-front", "device-ask-rate-service"), channels.ask_rate),
    Group(("metadata-refresh-same", "metadata-refresh-changed"), delivery.refresh),
    Group(("delivery-write",), delivery.writing),
    Group(("fleet-update",), delivery.fleet),
    Group(("report-rate",), channels.report_rate),
    Group(("board-answer-p50", "board-answer-p99"), channels.board_answer),
    Group(("health-false-alarms", "health-false-alarms-devices", "health-power"), channels.health_promise),
    Group(("log-million-lines-pipe", "log-memory-growth"), runs.log_throughput),
    Group(("submission-upload-time-curl",), submissions.upload),
    Group(
        tuple(f"builds-{what}-sql-p{of}" for what in ("list", "filter", "compare") for of in (50, 99)),
        runs.ten_thousand_builds,
    ),
    # After the builds: its rows stand on one of them.
    Group(("review-desk-sql-p50", "review-desk-sql-p99"), submissions.desk),
)
