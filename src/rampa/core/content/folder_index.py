"""The folder index: what a folder's files held when they were last read, so that unchanged ones are not read again.

A file is taken as unchanged when size, modification time, change time and inode are the same. One that was touched within
`RACY_NS` of the reading is not remembered: a later write could leave all four as they are.
"""

from __future__ import annotations

from array import array
from dataclasses import replace
from pathlib import Path

import cbor2
import numpy as np
import zstandard

from rampa.core.content import manifest
from rampa.core.content.columns import column, view
from rampa.core.content.inflating import inflate
from rampa.core.content.merging import joined
from rampa.core.content.parameters import CutParameters
from rampa.core.content.selected import Selected
from rampa.core.content.tree import FileEntry, Files, Tree, TreeBuilder

VERSION = 2
RACY_NS = 100_000_000


class FolderIndex:
    """`file` holds the index, or does not exist yet; a damaged or foreign one counts as empty."""

    def __init__(self, file: Path, parameters: CutParameters, now_ns: int) -> None:
        self._file = file
        self._parameters = parameters
        self._now_ns = now_ns
        self._files, self._stamps = self._load()
        self._new = TreeBuilder()
        self._new_stamps = array("q")

    def look_up(self, file: Selected) -> FileEntry | None:
        at = self._files.paths.find(file.path)
        if at < 0 or tuple(self._stamps[4 * at : 4 * at + 4]) != file.stamp:
            return None
        return replace(self._files[at], executable=file.executable)

    def remember(self, file: Selected, entry: FileEntry) -> None:
        if max(file.stamp[1], file.stamp[2]) < self._now_ns - RACY_NS and entry.size == file.size:
            self._new.add(entry)
            self._new_stamps.extend(file.stamp)

    def save(self) -> None:
        """Writes the index beside and renames it; losing it costs a second reading and nothing else."""
        if not self._new_stamps:
            return
        files, stamps = self._together()
        body = {
            "version": VERSION,
            "stamps": stamps.tobytes(),
            "files": manifest.encode(manifest.Manifest("", Tree(files), self._parameters)),
        }
        packed = zstandard.ZstdCompressor(level=1).compress(cbor2.dumps(body))
        self._file.parent.mkdir(parents=True, exist_ok=True)
        beside = self._file.with_suffix(".new")
        beside.write_bytes(packed)
        beside.replace(self._file)
        self._files, self._stamps = files, stamps
        self._new, self._new_stamps = TreeBuilder(), array("q")

    def _together(self) -> tuple[Files, array[int]]:
        """What was known and is not known anew, and what is new; sorted by path."""
        new = self._new.files()
        renewed = set(new.paths)
        kept = np.fromiter((i for i, p in enumerate(self._files.paths) if p not in renewed), dtype=np.int64)
        files = joined([self._files.take(kept), new])
        stamps = np.concatenate([view(self._stamps).reshape(-1, 4)[kept], view(self._new_stamps).reshape(-1, 4)])
        order = files.paths.order()
        if order is None:
            return files, column("q", stamps.ravel())
        return files.take(order), column("q", stamps[order].ravel())

    def _load(self) -> tuple[Files, array[int]]:
        try:
            body = cbor2.loads(inflate(self._file.read_bytes(), manifest.MAX_RAW))
            known = manifest.decode(body["files"])
            stamps = array("q", body["stamps"])
            same = body["version"] == VERSION and known.parameters == self._parameters
            if same and len(stamps) == 4 * len(known.tree.files):
                return known.tree.files, stamps
        except Exception:
            return Tree().files, array("q")
        return Tree().files, array("q")
