"""Reading selected files: chunks and digests, on several threads, with bounded memory.

Small files are read whole, many to a task. Large ones are read in segments that are searched for candidates in parallel;
their order is kept by one coordinator that cuts, and hands the chunks on to be hashed.
"""

from __future__ import annotations

import os
from array import array
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from blake3 import blake3

from rampa.core.content import parallel
from rampa.core.content.columns import Digests
from rampa.core.content.cutting import Cutter, candidates, cut_all
from rampa.core.content.folder_index import FolderIndex
from rampa.core.content.parameters import DEFAULT, WINDOW, CutParameters
from rampa.core.content.paths import printable
from rampa.core.content.selected import Selected
from rampa.core.content.selecting import Selection, stamp_of
from rampa.core.content.tree import Chunk, ChunkRun, Chunks, FileEntry, LinkEntry, Tree, TreeBuilder
from rampa.core.errors import Conflict, Invalid

SEGMENT = 4 * 1024 * 1024
BATCH_FILES = 64
TRIES = 3
HASHING = 4
"""Segments of a large file that wait to be hashed, at most."""

Progress = Callable[[int], None]


def read_tree(
    selection: Selection,
    parameters: CutParameters = DEFAULT,
    *,
    index: FolderIndex | None = None,
    progress: Progress = lambda _: None,
    workers: int = parallel.WORKERS,
) -> Tree:
    """Reads what was selected. `progress` is told the bytes that were read or known.

    Raises `Conflict` for a file that keeps changing, `Invalid` for one that cannot be read.
    """
    building = TreeBuilder()
    fresh: list[int] = []
    known = 0
    for i, file in enumerate(selection.files):
        entry = index.look_up(file) if index else None
        if entry is None:
            fresh.append(i)
        else:
            building.add(entry)
            known += entry.size
    progress(known)
    with parallel.pool(workers) as threads:
        for file, entry in _read_fresh(selection, fresh, parameters, threads, progress):
            building.add(entry)
            if index:
                index.remember(file, entry)
    return building.tree(LinkEntry(p, t) for p, t in selection.links)


def _read_fresh(
    selection: Selection, fresh: list[int], parameters: CutParameters, threads: ThreadPoolExecutor, progress: Progress
) -> Iterator[tuple[Selected, FileEntry]]:
    """Small files first."""
    root, files = selection.root, selection.files

    def read_batch(batch: list[Selected]) -> list[tuple[Selected, FileEntry]]:
        return [(f, _steady(root, f, lambda fd, size, f=f: _read_small(fd, f, parameters))) for f in batch]  # type: ignore[misc]

    small = (file for file in (files[i] for i in fresh) if file.size <= SEGMENT)
    for read in parallel.in_order(threads, read_batch, _batches(small)):
        progress(sum(e.size for _, e in read))
        yield from read
    for file in (files[i] for i in fresh):
        if file.size > SEGMENT:
            yield (
                file,
                _steady(
                    root,
                    file,
                    lambda fd, size, f=file: _read_large(fd, f, parameters, threads, progress),  # type: ignore[misc]
                ),
            )


def _batches(files: Iterable[Selected]) -> Iterator[list[Selected]]:
    batch: list[Selected] = []
    size = 0
    for file in files:
        batch.append(file)
        size += file.size
        if size >= SEGMENT or len(batch) >= BATCH_FILES:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


def _steady(root: Path, file: Selected, read: Callable[[int, int], FileEntry]) -> FileEntry:
    """Reads a file whose stat is the same before and after; a file that is being written is tried again."""
    where = printable(file.path)
    for _ in range(TRIES):
        try:
            fd = os.open(root / file.disk, os.O_RDONLY | os.O_NOFOLLOW | getattr(os, "O_BINARY", 0))
        except OSError as error:
            raise Invalid(
                "file.unreadable",
                f"this file cannot be read ({error.strerror})",
                where=where,
                hint="Give yourself the right to read it, or strip it in the profile document.",
            ) from error
        try:
            before = os.fstat(fd)
            entry = read(fd, before.st_size)
            if stamp_of(os.fstat(fd)) == stamp_of(before) and entry.size == before.st_size:
                return entry
        finally:
            os.close(fd)
    raise Conflict(
        "file.changed",
        "this file changes while it is read",
        where=where,
        hint="Let the export finish (or close the program that writes it), then run the command again.",
    )


def _read_small(fd: int, file: Selected, parameters: CutParameters) -> FileEntry:
    data = _read_exact(fd, os.fstat(fd).st_size, 0)
    view = memoryview(data)
    chunks, start = [], 0
    for end in cut_all(data, parameters):
        chunks.append(Chunk(blake3(view[start:end]).digest(), end - start))
        start = end
    digest = chunks[0].digest if len(chunks) == 1 else blake3(data).digest()
    return FileEntry(file.path, len(data), file.executable, digest, tuple(chunks))


def _read_large(
    fd: int, file: Selected, parameters: CutParameters, threads: ThreadPoolExecutor, progress: Progress
) -> FileEntry:
    """The segment pipeline. `tail` is what was read and not yet cut."""
    size = os.fstat(fd).st_size
    whole = blake3()
    cutter = Cutter(parameters)
    hashing: deque[Future[tuple[bytes, list[int]]]] = deque()
    digests, sizes = bytearray(), array("I")
    tail, tail_at = b"", 0

    def search(at: int) -> tuple[int, bytes, object]:
        warm = min(at, WINDOW - 1)
        data = _read_exact(fd, min(SEGMENT, size - at) + warm, at - warm)
        return at - warm, data, candidates(data, warm, parameters)

    def collect(most: int) -> None:
        while len(hashing) > most:
            joined, own_sizes = hashing.popleft().result()
            digests.extend(joined)
            sizes.extend(own_sizes)

    for base, data, found in parallel.in_order(threads, search, range(0, size, SEGMENT), ahead=4):
        warm = WINDOW - 1 if base else 0
        own = memoryview(data)[warm:]
        whole.update(own)
        end = base + len(data)
        cuts = list(cutter.feed(found, base, end))  # type: ignore[arg-type]
        if end >= size:
            cuts.extend(cutter.finish(end))
        tail += own
        if cuts:
            ready = memoryview(tail)[: cuts[-1] - tail_at]
            hashing.append(threads.submit(_hash_chunks, ready, [c - tail_at for c in cuts]))
            tail, tail_at = tail[cuts[-1] - tail_at :], cuts[-1]
            collect(HASHING)
        progress(len(own))
    collect(0)
    table = Chunks(Digests(bytes(digests)), sizes)
    run = ChunkRun(table, array("I", range(len(table))), 0, len(table))
    return FileEntry(file.path, size, file.executable, whole.digest(), run)


def _hash_chunks(data: memoryview, cuts: list[int]) -> tuple[bytes, list[int]]:
    """(the digests, one behind the other; the sizes)."""
    digests, sizes, start = [], [], 0
    for end in cuts:
        digests.append(blake3(data[start:end]).digest())
        sizes.append(end - start)
        start = end
    return b"".join(digests), sizes


def _read_exact(fd: int, size: int, at: int) -> bytes:
    """`size` bytes, or fewer when the file became shorter (its stat then tells)."""
    data = os.pread(fd, size, at)
    if len(data) == size or not data:
        return data
    parts = [data]
    got = len(data)
    while got < size:
        more = os.pread(fd, size - got, at + got)
        if not more:
            break
        parts.append(more)
        got += len(more)
    return b"".join(parts)
