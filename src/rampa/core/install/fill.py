"""Filling a folder with a tree: from what the device has, from what an interrupted run left, and from the network."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from rampa.core import parallel
from rampa.core.ambient import Clock
from rampa.core.content.patch import maker
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.columns import Numbers, view
from rampa.core.content.tree.regions import LocalContent
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged
from rampa.core.files import disk_error
from rampa.core.install.assembly import Assembly
from rampa.core.install.cheapest import Request, Supply, supply
from rampa.core.install.checks import FileChecks
from rampa.core.install.delivery import Delivery
from rampa.core.install.fetched import ChunksByFrame, open_frames
from rampa.core.install.from_differences import FromDifferences
from rampa.core.install.from_installed import FromInstalled
from rampa.core.install.line import Line
from rampa.core.install.progress import FillReport, Progress, line_rate
from rampa.core.memory import give_back_blocks

TRIES = 3
CONNECTIONS, AHEAD = 4, 2
"""Parts that come at a time, and parts that wait for those who open them beside those that come."""
FEW_CONNECTIONS, LITTLE_AHEAD = 2, 1
"""For a device with one thread, which has little memory as a rule."""


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
        self._connections, self._ahead = (CONNECTIONS, AHEAD) if workers > 1 else (FEW_CONNECTIONS, LITTLE_AHEAD)
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
                parallel.pool(self._connections) as line,
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
        installed = FromInstalled(self._have_root, have)
        taken = parallel.in_order(threads, lambda f: installed.take_whole(f, self._root / f.path), tree.files, ahead=64)
        whole = np.fromiter(taken, dtype=bool, count=len(tree.files))
        self.report.reused += int(view(tree.files.sizes)[whole].sum())
        assembly = Assembly(self._root, tree.take(np.flatnonzero(~whole)))
        if begun:
            assembly.look(threads)
        return assembly

    def _reuse(self, assembly: Assembly, have: LocalContent, threads: ThreadPoolExecutor) -> None:
        """Chunks that an interrupted run left, and those of the installed build, each after its digest holds."""
        self.report.reused += assembly.salvage()
        total, copied = FromInstalled(self._have_root, have).take_chunks(assembly, threads)
        if total:
            self._on(Progress("reuse", 0, total))
        self.report.reused += self._follow("reuse", copied, 0, total)

    def _download(
        self, assembly: Assembly, locations: Locations, threads: ThreadPoolExecutor, line: ThreadPoolExecutor
    ) -> None:
        chunks = assembly.tree.chunks
        wanted = assembly.wanted()
        # What no difference and no frame brings is found out below, with the whole list.
        known = locations.hold(chunks.digests.take(wanted))
        brought = self._supply(assembly, wanted[known], locations, maker.available())
        total = brought.size
        if total:
            self._on(Progress("download", 0, total))
        made = FromDifferences(self._have_root, self._read).make_all(brought.differences, assembly, threads)
        done = self._follow("download", made, 0, total)
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

        coming = Line(brought.requests, self._read, line, self._connections + self._ahead)

        def fetch(numbered: tuple[int, Request]) -> int:
            number, request = numbered
            self._fetch(request, coming.arriving(number, request), by_frame, assembly)
            return request.size

        started = self._clock.seconds()
        self._follow("download", parallel.in_order(threads, fetch, enumerate(brought.requests)), done, total)
        self.report.rate = line_rate(sum(r.size for r in brought.requests), self._clock.seconds() - started)
        self.report.written = assembly.written

    def _supply(self, assembly: Assembly, numbers: Numbers, locations: Locations, differences: bool) -> Supply:
        chunks = assembly.tree.chunks
        sizes = view(chunks.sizes)[numbers].astype(np.int64)
        return supply(chunks.digests.take(numbers), sizes, locations, differences)

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
        self._on(Progress("verify", 0, made.size))
        self._follow("verify", checks.finish(threads), 0, made.size)

    def _follow(self, phase: str, sizes: Iterable[int], done: int, total: int) -> int:
        """Tells of each step as it is done; the bytes of all of them."""
        for size in sizes:
            done += size
            self._on(Progress(phase, done, total))
        return done

    def _link(self, tree: Tree) -> None:
        """Links come last: nothing is ever written through one."""
        for link in tree.links:
            path = self._root / link.path
            path.parent.mkdir(parents=True, exist_ok=True)
            if path.is_symlink() or path.exists():
                path.unlink()
            path.symlink_to(link.target)
