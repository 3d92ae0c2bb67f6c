"""Filling a folder with a tree: from what the device has, from what an interrupted run left, and from the network."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from blake3 import blake3

from rampa.core import parallel
from rampa.core.ambient import Clock
from rampa.core.content.patch import maker
from rampa.core.content.patch.difference_place import DifferencePlace, MadeRegion
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.columns import Numbers, view
from rampa.core.content.tree.regions import LocalContent
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.errors import Damaged, NotFound
from rampa.core.files import disk_error
from rampa.core.install.aside import Aside, rounds
from rampa.core.install.assembly import Assembly, file_holds, read_region
from rampa.core.install.cheapest import Request, Supply, supply
from rampa.core.install.checks import FileChecks
from rampa.core.install.delivery import Delivery
from rampa.core.install.fetched import ChunksByFrame, open_frames
from rampa.core.install.line import Line
from rampa.core.install.reuse import Reused, runs
from rampa.core.memory import give_back_blocks

TRIES = 3
CONNECTIONS = 4
"""Parts that come at a time."""
AHEAD = 2
"""Parts that wait for those who open them, beside those that come."""
TELLING = 1_000_000
"""Bytes from which on a rate says something of the line."""


@dataclass
class FillReport:
    """What an install, update or repair did. Bytes, seconds."""

    downloaded: int = 0
    metadata: int = 0
    reused: int = 0
    written: int = 0
    seconds: float = 0.0
    files: int = 0
    repaired: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)
    """Player files that the player changed, and that stayed."""
    aside: list[str] = field(default_factory=list)
    """Those that were replaced, and are kept aside."""
    depots: list[str] = field(default_factory=list)
    """What the device chose."""
    rate: float = 0.0
    """Mbit/s while frames came; 0 where too few came to say. What unpacks slower than the line brings counts as a slower line."""


@dataclass(frozen=True)
class Progress:
    """`phase` is reuse, download or verify; `done` and `total` are bytes."""

    phase: str
    done: int
    total: int


def _rate(size: int, seconds: float) -> float:
    return round(size * 8 / 1e6 / seconds, 3) if size >= TELLING and seconds > 0 else 0.0


class Filling:
    """One run of filling `root` with `tree`. Safe to run again after a kill at any moment."""

    def __init__(
        self,
        root: Path,
        have_root: Path | None,
        delivery: Delivery,
        clock: Clock,
        on: Callable[[Progress], None] = lambda _: None,
        workers: int = parallel.WORKERS,
    ) -> None:
        self._root = root
        self._have_root = have_root
        self._delivery = delivery
        self._clock = clock
        self._on = on
        self._workers = workers
        self._lock = threading.Lock()
        self._whole: Callable[[], Locations] | None = None
        self._keys: Mapping[bytes, bytes] = {}
        self.report = FillReport()

    def run(
        self, tree: Tree, have: LocalContent, locations: Locations, whole: Callable[[], Locations] | None = None
    ) -> FillReport:
        """`whole` gives the locations of all chunks, where `locations` are only of those that an untouched device lacks.

        Raises `Damaged` for bytes that stay wrong, `Unavailable` for a network or a disk that gave up.
        """
        self._whole = whole
        if self._workers == 1:
            give_back_blocks()
        self.report.files = len(tree.files)
        try:
            self._root.mkdir(parents=True, exist_ok=True)
            with (
                parallel.pool(self._workers) as threads,
                parallel.pool(CONNECTIONS) as line,
                parallel.pool(1) as beside,
            ):
                assembly = self._assembly(tree, have, threads)
                checks = FileChecks(assembly, beside)
                try:
                    self._reuse(assembly, have, threads)
                    self._download(assembly, locations, threads, line)
                finally:
                    assembly.close()
                self._finish(checks, assembly.tree, threads)
            self._link(tree)
        except OSError as error:
            raise disk_error(error, self._root) from error
        return self.report

    def _assembly(self, tree: Tree, have: LocalContent, threads: ThreadPoolExecutor) -> Assembly:
        """Links whole files after their digests hold; the rest is to be made of chunks."""
        begun = any(self._root.iterdir())
        for folder in {path.rpartition("/")[0] for path in tree.files.paths}:
            (self._root / folder).mkdir(parents=True, exist_ok=True)
        if not begun and not len(have.tree.files):
            return Assembly(self._root, tree)
        taken = parallel.in_order(threads, lambda f: self._take_whole(f, have), tree.files, ahead=64)
        left = np.fromiter((i for i, done in enumerate(taken) if not done), dtype=np.int64)
        assembly = Assembly(self._root, tree.take(left))
        if begun:
            assembly.look(threads)
        return assembly

    def _reuse(self, assembly: Assembly, have: LocalContent, threads: ThreadPoolExecutor) -> None:
        """Chunks that an interrupted run left, and those of the installed build, each after its digest holds."""
        self.report.reused += assembly.salvage()
        chunks, wanted = assembly.tree.chunks, assembly.wanted()
        held = have.find_chunks(chunks.digests.take(wanted))
        numbers, held = wanted[held >= 0], held[held >= 0]

        def copy(run: Reused) -> int:
            assert self._have_root is not None
            data = memoryview(read_region(self._have_root / run.path, run.offset, run.size) or b"")
            good, at = [], 0
            for number in run.numbers:
                piece = data[at : at + chunks.sizes[number]]
                # What it was given can be what it should hold, not what it holds: a player can have changed any file
                # since.
                if blake3(piece).digest() == chunks.digests[number]:
                    good.append((number, piece))
                at += chunks.sizes[number]
            assembly.put_run(good)
            return sum(len(piece) for _, piece in good)

        total, copied = int(view(chunks.sizes)[numbers].sum()), 0
        if total:
            self._on(Progress("reuse", 0, total))
        for size in parallel.in_order(threads, copy, runs(numbers, held, chunks, have), ahead=8):
            copied += size
            self._on(Progress("reuse", copied, total))
        self.report.reused += copied

    def _take_whole(self, file: FileEntry, have: LocalContent) -> bool:
        """A file that is already made, or that the device has as a whole under any path."""
        target = self._root / file.path
        mode = 0o755 if file.executable else 0o644
        if target.exists():
            if file_holds(target, file.size, file.digest):
                self._count_reused(file.size)
                if target.stat().st_mode & 0o777 != mode:
                    target.chmod(mode)
                return True
            # It may be linked to the old build's file: a new one is made, the old one is not written to.
            if target.stat().st_nlink > 1:
                target.unlink()
            return False
        old = have.find_file(file.digest)
        if old is None or self._have_root is None:
            return False
        source = self._have_root / old.path
        if file.player_rule:
            return False  # a player may write to it: it is never shared with another build
        if old.executable != file.executable or not file_holds(source, file.size, file.digest):
            return False
        os.link(source, target, follow_symlinks=False)
        self._count_reused(file.size)
        return True

    # Two threads count at a time.
    def _count_reused(self, size: int) -> None:
        with self._lock:
            self.report.reused += size

    def _download(
        self, assembly: Assembly, locations: Locations, threads: ThreadPoolExecutor, line: ThreadPoolExecutor
    ) -> None:
        chunks = assembly.tree.chunks
        wanted = assembly.wanted()
        # What no difference and no frame brings is found out below, with the whole list.
        known = locations.hold(chunks.digests.take(wanted))
        brought = self._supply(assembly, wanted[known], locations, maker.available())
        total, done = brought.size, 0
        if total:
            self._on(Progress("download", 0, total))
        for size in self._make_all(brought.differences, assembly, threads):
            done += size
            self._on(Progress("download", done, total))
        # Whatever the differences could not make comes as plain chunks, with the rest.
        missing = assembly.wanted()
        if self._whole and not locations.hold(chunks.digests.take(missing), differences=False).all():
            locations = self._whole()
        if brought.differences or not known.all():
            brought = self._supply(assembly, missing, locations, False)
        by_frame = ChunksByFrame(chunks, missing, brought.frames)
        # Asked for before anything travels: a build that is not unsealed yet costs its players nothing.
        self._keys = self._delivery.keys() if any(f.key for f in by_frame) else {}
        total = done + brought.size

        coming = Line(brought.requests, self._read, line, CONNECTIONS + AHEAD)

        def fetch(numbered: tuple[int, Request]) -> int:
            number, request = numbered
            self._fetch(request, coming.arriving(number, request), by_frame, assembly)
            return request.size

        started = self._clock.seconds()
        for size in parallel.in_order(threads, fetch, enumerate(brought.requests)):
            done += size
            self._on(Progress("download", done, total))
        self.report.rate = _rate(sum(r.size for r in brought.requests), self._clock.seconds() - started)
        self.report.written = assembly.written

    def _supply(self, assembly: Assembly, numbers: Numbers, locations: Locations, differences: bool) -> Supply:
        chunks = assembly.tree.chunks
        sizes = view(chunks.sizes)[numbers].astype(np.int64)
        return supply(chunks.digests.take(numbers), sizes, locations, differences)

    def _make_all(
        self, places: Sequence[DifferencePlace], assembly: Assembly, threads: ThreadPoolExecutor
    ) -> Iterator[int]:
        aside = Aside(self._root.parent, places)
        try:
            for each in rounds(places):
                yield from parallel.in_order(threads, lambda d: self._make(d, assembly, aside), each)
        finally:
            aside.close()

    def _make(self, place: DifferencePlace, assembly: Assembly, aside: Aside) -> int:
        """Makes chunks of what the device has. Where that was touched, or the difference is not right or not there any more,
        nothing is put: plain chunks come instead."""
        old = self._old_content(place, aside)
        content = None if old is None else self._made(place, old)
        if content is not None:
            aside.put(place, content)
            for chunk, at in zip(place.new, place.starts, strict=True):
                piece = content[at : at + chunk.size]
                number = assembly.tree.chunks.digests.find(chunk.digest)
                if number >= 0 and blake3(piece).digest() == chunk.digest:
                    assembly.put(number, piece)
        aside.done(place)
        return place.stored if old is not None else 0

    def _made(self, place: DifferencePlace, old: bytes) -> memoryview | None:
        try:
            payload = self._delivery.read(place.pack, place.offset, place.stored)
            with self._lock:
                self.report.downloaded += len(payload)
            return memoryview(maker.apply(payload, old, place.new_size))
        except (Damaged, NotFound):
            return None

    def _old_content(self, place: DifferencePlace, aside: Aside) -> bytes | None:
        if not place.old:
            return b""
        if self._have_root is None:
            return None
        parts = [
            aside.read(r) if isinstance(r, MadeRegion) else read_region(self._have_root / r.path, r.offset, r.size)
            for r in place.old
        ]
        old = b"".join(p for p in parts if p is not None)
        return old if blake3(old).digest() == place.old_digest else None

    def _fetch(self, request: Request, arriving: Iterator[bytes], by_frame: ChunksByFrame, assembly: Assembly) -> None:
        """Damaged bytes are asked for again; what stays damaged ends the run before anything is replaced."""
        for attempt in range(TRIES):
            try:
                for chunks in open_frames(request, arriving, by_frame, self._keys):
                    assembly.put_run(chunks)
                return
            except Damaged:
                if attempt == TRIES - 1:
                    raise
                self._clock.sleep(0.05 * attempt)
                arriving = (self._read(request.pack, *part) for part in request.parts)

    def _read(self, pack: bytes, offset: int, size: int) -> bytes:
        data = self._delivery.read(pack, offset, size)
        with self._lock:
            self.report.downloaded += len(data)
        # A server that sends more or less than was asked for is not trusted with the rest.
        if len(data) != size:
            raise Damaged("download.damaged", f"{len(data)} bytes came where {size} were asked for")
        return data

    def _finish(self, checks: FileChecks, made: Tree, threads: ThreadPoolExecutor) -> None:
        done = 0
        self._on(Progress("verify", 0, made.size))
        for size in checks.finish(threads):
            done += size
            self._on(Progress("verify", done, made.size))

    def _link(self, tree: Tree) -> None:
        """Links come last: nothing is ever written through one."""
        for link in tree.links:
            path = self._root / link.path
            path.parent.mkdir(parents=True, exist_ok=True)
            if path.is_symlink() or path.exists():
                path.unlink()
            path.symlink_to(link.target)
