"""Reading selected files: chunks and digests, on several threads, with bounded memory.

Small files are read whole, many to a task. Large ones are read in segments that are searched for candidates in parallel;
their order is kept by one coordinator that cuts, and hands the chunks on to be hashed. Memory is used again and again:
taking it again for each segment cost as much as hashing it.
"""

from __future__ import annotations

import os
from array import array
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import numpy as np
from blake3 import blake3

from rampa.core import parallel
from rampa.core.content.scan.buffers import SEGMENT, Buffer, Segments, ThreadRoom
from rampa.core.content.scan.cuts import Cutter, candidates, cut_all
from rampa.core.content.scan.folder_index import FolderIndex
from rampa.core.content.select.selection import Selection, stamp_of
from rampa.core.content.tree.chosen_files import Selected
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.parameters import DEFAULT, CutParameters
from rampa.core.content.tree.paths import printable
from rampa.core.content.tree.tree import Chunk, ChunkRun, Chunks, FileEntry, LinkEntry, Tree, TreeBuilder
from rampa.core.errors import Conflict, Invalid

BATCH_FILES = 64
TRIES = 3
HASHING = 4
"""Segments of a large file that wait to be hashed, at most."""

Progress = Callable[[int], None]
_room = ThreadRoom()


def read_tree(
    selection: Selection,
    parameters: CutParameters = DEFAULT,
    *,
    index: FolderIndex | None = None,
    progress: Progress = lambda _: None,
    workers: int = parallel.WORKERS,
) -> Tree:
    """Reads what was selected, and keeps it in the index. `progress` is told the bytes that were read or known.

    Raises `Conflict` for a file that keeps changing, `Invalid` for one that cannot be read.
    """
    building = TreeBuilder()
    fresh = array("Q")
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
        for _, entry in _read_fresh(selection, fresh, parameters, threads, progress):
            building.add(entry)
    tree = building.tree(LinkEntry(p, t) for p, t in selection.links)
    if index:
        index.save(selection.files, tree.files)
    return tree


def _read_fresh(
    selection: Selection, fresh: array[int], parameters: CutParameters, threads: ThreadPoolExecutor, progress: Progress
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
            # A link put in a file's place after it was selected is not followed: it could lead anywhere on this
            # machine.
            fd = os.open(root / file.disk, os.O_RDONLY | os.O_NOFOLLOW | getattr(os, "O_BINARY", 0))
        except OSError as error:
            raise Invalid(
                "file.unreadable",
                f"this file cannot be read ({error.strerror})",
                where=where,
                hint="Give yourself the right to read it, or leave it out in the profile document.",
            ) from error
        try:
            # Opened once, and asked before and after: a file that was replaced by another meanwhile is another file.
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
    data = _room.read(fd, os.fstat(fd).st_size)
    chunks, start = [], 0
    for end in cut_all(data, parameters):
        chunks.append(Chunk(blake3(data[start:end]).digest(), end - start))
        start = end
    # A chunk that is the whole file has the file's digest: most files are smaller than a chunk and are hashed once.
    digest = chunks[0].digest if len(chunks) == 1 else blake3(data).digest()
    return FileEntry(file.path, len(data), file.executable, digest, tuple(chunks))


def _read_large(
    fd: int, file: Selected, parameters: CutParameters, threads: ThreadPoolExecutor, progress: Progress
) -> FileEntry:
    """The segment pipeline. `tail` is what was read and not yet cut: less than a chunk's maximum."""
    size, whole, cutter = os.fstat(fd).st_size, blake3(), Cutter(parameters)
    hashing: deque[Future[tuple[bytes, list[int]]]] = deque()
    digests, sizes = bytearray(), array("I")
    segments, tail = Segments(parameters.maximum), b""

    def collect(most: int) -> None:
        while len(hashing) > most:
            joined, own_sizes = hashing.popleft().result()
            digests.extend(joined)
            sizes.extend(own_sizes)

    searched = parallel.in_order(
        threads, lambda at: _search(segments.read(fd, at, size), parameters), range(0, size, SEGMENT), ahead=4
    )
    for segment, found in searched:
        if segment.size < min(SEGMENT, size - segment.at):
            break  # it became shorter: its stat tells, and it is read again
        whole.update(segment.fresh)
        cuts = list(cutter.feed(found, segment.at - segment.warm, segment.end))
        if segment.end >= size:
            cuts.extend(cutter.finish(segment.end))
        start, ready = segment.at - len(tail), segment.behind(tail)
        last = cuts[-1] - start if cuts else 0
        # Copied: the segment's memory is used again as soon as its chunks are hashed.
        tail = bytes(ready[last:])
        hashing.append(threads.submit(_hash_chunks, segments, segment, ready[:last], [c - start for c in cuts]))
        # Bounded: a disk that is faster than hashing would otherwise fill the memory with segments.
        collect(HASHING)
        progress(len(segment.fresh))
    collect(0)
    table = Chunks(Digests(bytes(digests)), sizes)
    run = ChunkRun(table, array("I", range(len(table))), 0, len(table))
    return FileEntry(file.path, size, file.executable, whole.digest(), run)


def _search(segment: Buffer, parameters: CutParameters) -> tuple[Buffer, np.ndarray]:
    return segment, candidates(segment.warmed, segment.warm, parameters)


def _hash_chunks(segments: Segments, segment: Buffer, data: memoryview, cuts: list[int]) -> tuple[bytes, list[int]]:
    """(the digests, one behind the other; the sizes). The segment's memory is free then."""
    digests, sizes, start = [], [], 0
    for end in cuts:
        digests.append(blake3(data[start:end]).digest())
        sizes.append(end - start)
        start = end
    segments.give_back(segment)
    return b"".join(digests), sizes
