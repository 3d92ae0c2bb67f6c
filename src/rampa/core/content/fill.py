"""Filling a folder with a tree: from what the device has, from what an interrupted run left, and from the network."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from blake3 import blake3

from rampa.core.content import parallel
from rampa.core.content.assemble import Assembly, file_holds, read_region
from rampa.core.content.delivery import Delivery
from rampa.core.content.difference import making
from rampa.core.content.disk import disk_error
from rampa.core.content.encryption import decrypt
from rampa.core.content.locations import DifferencePlace, FramePlace, Locations
from rampa.core.content.pack import decompress
from rampa.core.content.plan import LocalContent, OldPlace, Request, requests_for, useful
from rampa.core.content.tree import Chunk, FileEntry, Tree
from rampa.core.errors import Damaged, Refused

TRIES = 3
AT_ONCE = 2 * 1024 * 1024
"""Neighbouring chunks are copied from the old build with one read up to this many bytes."""


@dataclass
class Report:
    """What an install, update or repair did. Bytes, seconds."""

    downloaded: int = 0
    metadata: int = 0
    reused: int = 0
    written: int = 0
    seconds: float = 0.0
    files: int = 0
    repaired: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)
    """Loose files that the player changed, and that stayed."""
    aside: list[str] = field(default_factory=list)
    """Those that were replaced, and are kept aside."""


@dataclass(frozen=True)
class Progress:
    """`phase` is reuse, download or verify; `done` and `total` are bytes."""

    phase: str
    done: int
    total: int


class Filling:
    """One run of filling `root` with `tree`. Safe to run again after a kill at any moment."""

    def __init__(
        self,
        root: Path,
        have_root: Path | None,
        delivery: Delivery,
        on: Callable[[Progress], None] = lambda _: None,
        workers: int = parallel.WORKERS,
    ) -> None:
        self._root = root
        self._have_root = have_root
        self._delivery = delivery
        self._on = on
        self._workers = workers
        self._lock = threading.Lock()
        self._sizes: dict[bytes, int] = {}
        self._whole: Callable[[], Locations] | None = None
        self._keys: Mapping[bytes, bytes] = {}
        self.report = Report()

    def run(
        self, tree: Tree, have: LocalContent, locations: Locations, whole: Callable[[], Locations] | None = None
    ) -> Report:
        """`whole` gives the locations of all chunks, where `locations` are only of those that an untouched device lacks.

        Raises `Damaged` for bytes that stay wrong, `Unavailable` for a network or a disk that gave up.
        """
        self._whole = whole
        self.report.files = len(tree.files)
        self._sizes = {c.digest: c.size for f in tree.files for c in f.chunks}
        try:
            self._root.mkdir(parents=True, exist_ok=True)
            with parallel.pool(self._workers) as threads:
                assembly = self._assembly(tree, have, threads)
                try:
                    self._reuse(assembly, have, threads)
                    self._download(assembly, locations, threads)
                finally:
                    assembly.close()
                self._finish(assembly, threads)
            self._link(tree)
        except OSError as error:
            raise disk_error(error, self._root) from error
        return self.report

    def _assembly(self, tree: Tree, have: LocalContent, threads: ThreadPoolExecutor) -> Assembly:
        """Links whole files after their digests hold; the rest is to be made of chunks."""
        folders = {(self._root / f.path).parent for f in tree.files}
        for folder in folders:
            folder.mkdir(parents=True, exist_ok=True)
        done = parallel.in_order(threads, lambda f: (f, self._take_whole(f, have)), tree.files, ahead=64)
        assembly = Assembly(self._root, [f for f, taken in done if not taken])
        assembly.prepare()
        return assembly

    def _reuse(self, assembly: Assembly, have: LocalContent, threads: ThreadPoolExecutor) -> None:
        """Chunks that an interrupted run left, and those of the installed build, each after its digest holds."""
        self.report.reused += assembly.salvage()
        places = [(d, have.chunks[d]) for d in assembly.wanted() if d in have.chunks]
        places.sort(key=lambda p: (p[1].path, p[1].offset))

        def copy(run: list[tuple[bytes, OldPlace]]) -> int:
            assert self._have_root is not None
            first = run[0][1]
            size = run[-1][1].offset + self._sizes[run[-1][0]] - first.offset
            data = memoryview(read_region(self._have_root / first.path, first.offset, size) or b"")
            good = []
            for digest, old in run:
                piece = data[old.offset - first.offset :][: self._sizes[digest]]
                if blake3(piece).digest() == digest:
                    good.append((digest, piece))
            assembly.put_run(good)
            return sum(len(piece) for _, piece in good)

        total, copied = sum(self._sizes[d] for d, _ in places), 0
        if total:
            self._on(Progress("reuse", 0, total))
        for size in parallel.in_order(threads, copy, self._together(places), ahead=8):
            copied += size
            self._on(Progress("reuse", copied, total))
        self.report.reused += copied

    def _together(self, places: list[tuple[bytes, OldPlace]]) -> Iterator[list[tuple[bytes, OldPlace]]]:
        """Chunks that lie one behind the other in an old file, to be read with one call."""
        run: list[tuple[bytes, OldPlace]] = []
        for digest, old in places:
            last = run[-1][1] if run else None
            if last and (
                last.path != old.path
                or last.offset + self._sizes[run[-1][0]] != old.offset
                or old.offset - run[0][1].offset >= AT_ONCE
            ):
                yield run
                run = []
            run.append((digest, old))
        if run:
            yield run

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
        old = have.files.get(file.digest)
        if old is None or self._have_root is None:
            return False
        source = self._have_root / old.path
        if file.loose:
            return False  # a player may write to it: it is never shared with another build
        if old.executable != file.executable or not file_holds(source, file.size, file.digest):
            return False
        os.link(source, target, follow_symlinks=False)
        self._count_reused(file.size)
        return True

    def _count_reused(self, size: int) -> None:
        with self._lock:
            self.report.reused += size

    def _download(self, assembly: Assembly, locations: Locations, threads: ThreadPoolExecutor) -> None:
        differences = list(useful(assembly.wanted(), locations)) if making.available() else []
        made = {c.digest for d in differences for c in d.new}
        rest = [c for c in self._missing(assembly.wanted() - made) if c.digest in locations.chunks]
        total = sum(d.stored for d in differences) + sum(r.size for r in requests_for(rest, locations))
        done = 0
        if total:
            self._on(Progress("download", 0, total))
        for size in parallel.in_order(threads, lambda d: self._make(d, assembly), differences):
            done += size
            self._on(Progress("download", done, total))
        # Whatever the differences could not make comes as plain chunks, with the rest.
        missing = self._missing(assembly.wanted())
        if self._whole and any(c.digest not in locations.chunks for c in missing):
            locations = self._whole()
        requests = list(requests_for(missing, locations))
        inside = _chunks_by_frame(missing, locations)
        # Asked for before anything travels: a build that is not released yet costs its players nothing.
        self._keys = self._delivery.keys() if any(f.key for r in requests for f in r.frames) else {}
        total = done + sum(r.size for r in requests)

        def fetch(request: Request) -> int:
            self._fetch(request, inside, assembly)
            return request.size

        for size in parallel.in_order(threads, fetch, requests):
            done += size
            self._on(Progress("download", done, total))
        self.report.written = assembly.written

    def _missing(self, digests: Iterable[bytes]) -> list[Chunk]:
        return [Chunk(d, self._sizes[d]) for d in digests]

    def _make(self, place: DifferencePlace, assembly: Assembly) -> int:
        """Makes chunks of what the device has. Where that was touched, or the difference is not right, nothing is put:
        plain chunks come instead."""
        old = self._old_content(place)
        if old is None:
            return 0
        payload = self._delivery.read(place.pack, place.offset, place.stored)
        with self._lock:
            self.report.downloaded += len(payload)
        try:
            content = memoryview(making.apply(payload, old, place.new_size))
        except Damaged:
            return place.stored
        at = 0
        for chunk in place.new:
            piece = content[at : at + chunk.size]
            if blake3(piece).digest() == chunk.digest:
                assembly.put(chunk.digest, piece)
            at += chunk.size
        return place.stored

    def _old_content(self, place: DifferencePlace) -> bytes | None:
        if not place.old:
            return b""
        if self._have_root is None:
            return None
        parts = [read_region(self._have_root / r.path, r.offset, r.size) for r in place.old]
        old = b"".join(p for p in parts if p is not None)
        return old if blake3(old).digest() == place.old_digest else None

    def _fetch(self, request: Request, inside: dict[FramePlace, list[tuple[Chunk, int]]], assembly: Assembly) -> None:
        """Damaged bytes are asked for again; what stays damaged ends the run before anything is replaced."""
        for attempt in range(TRIES):
            data = self._delivery.read(request.pack, request.offset, request.size)
            with self._lock:
                self.report.downloaded += len(data)
            try:
                for digest, chunk in _open_frames(request, data, inside, self._keys):
                    assembly.put(digest, chunk)
                return
            except Damaged:
                if attempt == TRIES - 1:
                    raise
                time.sleep(0.05 * attempt)

    def _finish(self, assembly: Assembly, threads: ThreadPoolExecutor) -> None:
        total, done = sum(f.size for f in assembly.files), 0
        self._on(Progress("verify", 0, total))
        for size in parallel.in_order(threads, assembly.finish, assembly.files, ahead=64):
            done += size
            self._on(Progress("verify", done, total))

    def _link(self, tree: Tree) -> None:
        """Links come last: nothing is ever written through one."""
        for link in tree.links:
            path = self._root / link.path
            path.parent.mkdir(parents=True, exist_ok=True)
            if path.is_symlink() or path.exists():
                path.unlink()
            path.symlink_to(link.target)


def _content(frame: FramePlace, stored: memoryview, keys: Mapping[bytes, bytes]) -> bytes:
    if not frame.key:
        return decompress(stored, frame.raw)
    if frame.key not in keys:
        raise Refused("content.locked", "this content is encrypted, and its key was not given out")
    return decrypt(stored, frame.raw, keys[frame.key], frame.key)


def _chunks_by_frame(missing: list[Chunk], locations: Locations) -> dict[FramePlace, list[tuple[Chunk, int]]]:
    inside: dict[FramePlace, list[tuple[Chunk, int]]] = {}
    for chunk in missing:
        frame, at = locations.chunks[chunk.digest]
        inside.setdefault(frame, []).append((chunk, at))
    return inside


def _open_frames(
    request: Request,
    data: bytes,
    inside: dict[FramePlace, list[tuple[Chunk, int]]],
    keys: Mapping[bytes, bytes],
) -> list[tuple[bytes, memoryview]]:
    """The wanted chunks of fetched frames, each checked. Raises `Damaged`."""
    if len(data) != request.size:
        raise Damaged("download.damaged", f"{len(data)} bytes came where {request.size} were asked for")
    view, out = memoryview(data), []
    for frame in request.frames:
        start = frame.offset - request.offset
        content = memoryview(_content(frame, view[start : start + frame.stored], keys))
        for chunk, at in inside[frame]:
            piece = content[at : at + chunk.size]
            if blake3(piece).digest() != chunk.digest:
                raise Damaged(
                    "download.damaged",
                    f"chunk {chunk.digest.hex()[:12]} came damaged",
                    hint="Nothing was replaced. Run the command again; a cache on the way may hold a bad copy.",
                )
            out.append((chunk.digest, piece))
    return out
