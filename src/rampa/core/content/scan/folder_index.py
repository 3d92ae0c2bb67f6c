"""The folder index: what a folder's files held when they were last read, so that unchanged ones are not read again.

A file is taken as unchanged when size, modification time, change time and inode are the same. One that was touched within
`RACY_NS` of the reading is not remembered: a later write could leave all four as they are.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from rampa.core.content.tree.chosen_files import Selected, SelectedFiles
from rampa.core.content.tree.column_file import read_columns, write_columns
from rampa.core.content.tree.columns import Digests, Numbers, Texts, column, view
from rampa.core.content.tree.merge import joined
from rampa.core.content.tree.parameters import CutParameters
from rampa.core.content.tree.tree import Chunks, FileEntry, Files, Tree

VERSION = 3
RACY_NS = 100_000_000


class FolderIndex:
    """`file` holds the index, or does not exist yet; a damaged or foreign one counts as empty."""

    def __init__(self, file: Path, parameters: CutParameters, now_ns: int) -> None:
        self._file = file
        self._parameters = parameters
        self._now_ns = now_ns
        self._files, self._stamps = self._load()
        self._missed = 0

    def look_up(self, file: Selected) -> FileEntry | None:
        at = self._files.paths.find(file.path)
        if at < 0 or tuple(self._stamps[4 * at : 4 * at + 4]) != file.stamp:
            self._missed += 1
            return None
        # A new executable bit changes nothing in the content.
        return replace(self._files[at], executable=file.executable)

    def save(self, selected: SelectedFiles, files: Files) -> None:
        """Remembers what was read of the selected files, beside what is known of others. `files` are in the same order.

        Losing the index costs a second reading and nothing else.
        """
        # Nothing was missed, so nothing is new: a second preview of a folder writes no file.
        if not self._missed:
            return
        stamps = view(selected.stamps).reshape(-1, 4)
        # The file's own clock may count coarsely: a write within the same tick leaves the stamp as it is.
        calm = np.maximum(stamps[:, 1], stamps[:, 2]) < self._now_ns - RACY_NS
        taken = np.flatnonzero(calm & (view(files.sizes) == view(selected.sizes)))
        new = files if len(taken) == len(files) else files.take(taken)
        kept = np.fromiter(_others(self._files.paths, files.paths), dtype=np.int64)
        together = np.concatenate([view(self._stamps).reshape(-1, 4)[kept], stamps[taken]])
        if len(kept):
            new = joined([self._files.take(kept), new])
            order = new.paths.order()
            if order is not None:
                new, together = new.take(order), together[order]
        self._files, self._stamps = new, column("q", together.ravel())
        columns = (self._stamps, *_columns(new))
        write_columns(self._file, {"version": VERSION, "cut": repr(self._parameters)}, columns)

    def _load(self) -> tuple[Files, array[int]]:
        try:
            head, (stamps, *columns) = read_columns(self._file, 1 + len(_columns(Tree().files)))
            if head == {"version": VERSION, "cut": repr(self._parameters)}:
                files = _files(columns)
                # 32: four numbers of eight bytes for each file.
                if len(stamps) == 32 * len(files):
                    return files, array("q", stamps)
        except Exception:  # damaged in whatever way, it counts as empty
            pass
        return Tree().files, array("q")


def _others(known: Texts, now: Texts) -> Iterator[int]:
    """The numbers of the known paths that are not among those of now; both are sorted."""
    at = 0
    for i in range(len(known)):
        wanted = known.raw(i)
        while at < len(now) and now.raw(at) < wanted:
            at += 1
        if at == len(now) or now.raw(at) != wanted:
            yield i


def _columns(files: Files) -> tuple[object, ...]:
    chunks = files.chunks
    return (
        *files.paths.columns, files.sizes, files.modes, files.digests.joined, files.ends, files.numbers,
        chunks.digests.joined, chunks.sizes,
    )  # fmt: skip


def _files(columns: list[bytes]) -> Files:
    """Raises `ValueError` for columns that do not fit each other."""
    blob, path_ends, sizes, modes, digests, ends, numbers, chunk_digests, chunk_sizes = columns
    chunks = Chunks(Digests(chunk_digests), array("I", chunk_sizes))
    files = Files(
        Texts(blob, array("Q", path_ends)), array("Q", sizes), modes, Digests(digests), array("Q", ends),
        array("I", numbers), chunks,
    )  # fmt: skip
    count, uses = len(files), view(files.numbers)
    even = len(files.paths) == len(modes) == len(files.digests) == len(files.ends) == count
    whole = (files.ends[-1] if count else 0) == len(uses) and len(chunks.digests) == len(chunks)
    # Read from a disk, so checked like any input: an end above the next one would ask for memory below zero.
    if not even or not whole or (len(uses) and int(uses.max()) >= len(chunks)) or not _rising(files.ends):
        raise ValueError("the index's columns do not fit each other")
    return files


def _rising(ends: array[int]) -> bool:
    numbers: Numbers = view(ends)
    return bool((numbers[1:] >= numbers[:-1]).all())
