"""Packs for players: what a fresh install downloads and takes, beside the best archives, and after a series of releases."""

from __future__ import annotations

import math
import os
import shutil
import subprocess
import sys
import threading
import time
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from blake3 import blake3

from bench import ours, peers, series
from bench.rows import Figure, Tree, median_of
from rampa.core.content.layout.audience import Audience, read_audience
from rampa.core.content.layout.making import make_frames
from rampa.core.content.layout.order import order_of
from rampa.core.content.layout.rules import USUAL_RULES
from rampa.core.content.layout.trial import Bounds, Trial, try_ways
from rampa.core.content.pack import pack as pack_format
from rampa.core.content.pack.pack import PackWriter
from rampa.core.content.pack.places import PlacesBuilder
from rampa.system import CLOCK

SLOW_LINE, FAST_LINE = 50, 500
"""Mbit/s."""
ROUNDS = 3
SMALL_FRAME = 8
"""MiB of content in a frame, for devices with little memory."""


@dataclass(frozen=True)
class LaidOut:
    packed: ours.Packed
    trial: Trial
    seconds: float
    """Of trying and making."""


def lay_out(packed: ours.Packed, source: Path, audience: Audience, bounds: Bounds = Bounds()) -> LaidOut:
    """The release with packs for its players beside the small frames, as the service makes them."""
    started = time.perf_counter()
    read = ours.reader(source)
    order = order_of(packed.tree, read)
    trial = try_ways(packed.tree, order, read, audience, CLOCK, bounds)
    one = np.zeros(len(packed.tree.chunks), dtype=np.int64)
    found, writer = PlacesBuilder(), PackWriter()
    for frame in make_frames(packed.tree, order, one, read, trial.chosen.way, trial.used):
        writer.add(frame.chunks, frame.stored)
        if writer.full():
            _write(packed.folder, writer, found)
            writer = PackWriter()
    if writer.size:
        _write(packed.folder, writer, found)
    made = replace(packed, delivery=found.places(), price=USUAL_RULES.price)
    return LaidOut(made, trial, time.perf_counter() - started)


def _write(folder: Path, writer: PackWriter, found: PlacesBuilder) -> None:
    data = writer.finish()
    digest = blake3(data).digest()
    (folder / f"{digest.hex()}.pack").write_bytes(data)
    found.add_pack(digest, pack_format.read_index(data, len(data)))


@lru_cache(maxsize=2)
def alone(tree: Tree) -> ours.Packed:
    return ours.pack(tree.v1, tree.scratch / "players")


@lru_cache(maxsize=4)
def laid_out(tree: Tree, rate: int) -> LaidOut:
    return lay_out(alone(tree), tree.v1, read_audience(f"{rate}:1"))


@dataclass(frozen=True)
class Archive:
    size: int
    making: float
    path: Path
    opens: str

    def unpacking(self, into: Path) -> float:
        shutil.rmtree(into, ignore_errors=True)
        into.mkdir(parents=True)
        os.sync()
        return peers.shell(f"{self.opens} '{self.path}' | tar x -C '{into}'")


@lru_cache(maxsize=4)
def archive(tree: Tree, kind: str) -> Archive:
    """As small as a general-purpose tool makes it."""
    how, opens = {
        "zstd": ("zstd -19 --long=27 -T2 -q -c", "zstd -d --long=27 -q -c"),
        "xz": ("xz -9e -T2 -c", "xz -dc -T2"),
    }[kind]
    out = tree.scratch / f"best.tar.{kind}"
    tar = f"tar c --sort=name --mtime=@0 -C '{tree.v1}' ."
    making = peers.shell(f"{tar} | {how} > '{out}'")
    return Archive(out.stat().st_size, making, out, opens)


def sizes(tree: Tree) -> list[Figure]:
    """All that travels to a device that has nothing; players at 50 Mbit/s."""
    own = laid_out(tree, SLOW_LINE)
    note = peers.missing("tar", "zstd", "xz")
    zstd = None if note else archive(tree, "zstd").size
    xz = None if note else archive(tree, "xz")
    best = 0.95 if tree.generated else 0.86
    why = note or f"{own.trial.chosen.way}"
    return [
        Figure("fresh-bytes-best", own.packed.fresh_bytes(), zstd, "bytes", best, why),
        Figure("fresh-bytes-xz", own.packed.fresh_bytes(), xz.size if xz else None, "bytes", 0.95, why),
        Figure("delivery-make-time", own.seconds, xz.making if xz else None, "s", 1.0, why),
    ]


class _Line:
    """A line of so many Mbit/s: what is read arrives no sooner than it could have. What a service has ready is there before."""

    def __init__(self, packed: ours.Packed, rate: float) -> None:
        self._packed, self._located = packed, packed.locations()
        self._lock = threading.Lock()
        self._rate, self._free = rate * 1e6 / 8, time.perf_counter()

    def manifest(self, digest: bytes) -> bytes:
        return self._arrived(self._packed.encoded)

    def locations(self, depots: object = (), base: int = 0, base_depots: object = ()) -> bytes:
        return self._arrived(self._located)

    def keys(self) -> dict[bytes, bytes]:
        return {}

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return self._arrived(self._packed.read(pack, offset, size))

    def _arrived(self, data: bytes) -> bytes:
        with self._lock:
            # Several requests share the line: what is asked for later comes behind.
            self._free = max(self._free, time.perf_counter()) + len(data) / self._rate
            here = self._free
        time.sleep(max(0.0, here - time.perf_counter()))
        return data


def times(tree: Tree) -> list[Figure]:
    """From the first byte to the last file, verified; the peers' archive is downloaded, then unpacked."""
    note = peers.missing("tar", "zstd", "xz")
    out = []
    for rate in (SLOW_LINE, FAST_LINE):
        own = laid_out(tree, rate)
        seconds = median_of(ROUNDS, lambda own=own, rate=rate: _install(tree, own.packed, rate))  # type: ignore[misc]
        theirs = None if note else min(_archived(tree, kind, rate) for kind in ("zstd", "xz"))
        out.append(Figure(f"fresh-time-{rate}", seconds, theirs, "s", 0.8, note or str(own.trial.chosen.way)))
    return out


def _archived(tree: Tree, kind: str, rate: float) -> float:
    made = archive(tree, kind)
    return made.size * 8 / rate / 1e6 + median_of(ROUNDS, lambda: made.unpacking(tree.scratch / "unpacked"))


def _install(tree: Tree, packed: ours.Packed, rate: float) -> float:
    shutil.rmtree(tree.scratch / "player", ignore_errors=True)
    line, statement = _Line(packed, rate), packed.statement(1)
    os.sync()  # an install waits for its disk: not for what others wrote before it
    started = time.perf_counter()
    ours.installation(tree.scratch / "player").update(statement, line)  # type: ignore[arg-type]
    return time.perf_counter() - started


def unpacking(tree: Tree) -> list[Figure]:
    own = laid_out(tree, SLOW_LINE)
    seconds = median_of(ROUNDS, lambda: _install(tree, own.packed, math.inf))
    note = peers.missing("tar", "xz")
    theirs = None if note else median_of(ROUNDS, lambda: archive(tree, "xz").unpacking(tree.scratch / "unpacked"))
    return [Figure("install-time-xz", seconds, theirs, "s", 0.8, note or str(own.trial.chosen.way))]


def memory(tree: Tree) -> list[Figure]:
    """`theirs` is the limit of a device of 256 MB: one thread, in a process of its own, from frames of 8 MiB."""
    own = lay_out(alone(tree), tree.v1, read_audience(f"{SLOW_LINE}:1"), Bounds(frame=SMALL_FRAME))
    (own.packed.folder / "locations").write_bytes(own.packed.locations())
    command = [sys.executable, "-m", "bench.players", str(own.packed.folder), str(tree.scratch / "small-device")]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    return [
        Figure("install-memory", float(done.stdout), 96.0, "MB", 1.0, f"theirs is the limit; {own.trial.chosen.way}")
    ]


def over_releases(tree: Tree) -> list[Figure]:
    """The newest of a series in one store, beside the same release alone; the update over all of them."""
    made = series.releases(tree)
    audience = read_audience(f"{SLOW_LINE}:1")
    newest = lay_out(made.newest, made.newest_folder, audience)
    by_itself = lay_out(ours.pack(made.newest_folder, tree.scratch / "alone"), made.newest_folder, audience)
    requests = [p.packed.fresh_plan().gets for p in (newest, by_itself)]
    players = sum(frame.stored for frame in newest.packed.delivery.frames)
    small, past = series.small_bytes(made), series.past_bytes(made)
    first = replace(newest.packed, before=made.first)
    made_set = ours.prepare(first, (made.first_folder, made.newest_folder))
    stored = small + players + past + made_set.size
    note = peers.missing("tar", "zstd", "xz")
    union = None if note else series.union_bytes(made, tree.scratch)
    theirs = None if note else series.patch_from_bytes(made, tree.scratch)
    many = f"{made.count} releases"
    return [
        Figure(
            "fresh-bytes-series",
            newest.packed.fresh_bytes(),
            by_itself.packed.fresh_bytes(),
            "bytes",
            1.01,
            f"{many}; {requests[0]} requests, alone {requests[1]}; small frames {made.newest.fresh_bytes():,} bytes",
        ),
        Figure("skip-bytes-series", first.update_bytes(), theirs, "bytes", 0.8, note or many),
        Figure(
            "store-bytes-series",
            stored,
            union,
            "bytes",
            1.6,
            note
            or f"{many}; small frames of the newest {small:,}, players' {players:,}, past {past:,}, "
            f"differences from the first {made_set.size:,}",
        ),
    ]


def _step(folder: Path, root: Path) -> float:
    """One device's install on one thread, and its peak in MB."""
    delivery = ours.Folder(folder)
    ours.installation(root, threads=1).update(delivery.statement(), delivery)
    # The kernel's own count for this process: what getrusage(2) says begins with the peak of the one that started it.
    told = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM"))
    return int(told.split()[1]) * 1024 / 1e6


if __name__ == "__main__":
    print(_step(Path(sys.argv[1]), Path(sys.argv[2])))
