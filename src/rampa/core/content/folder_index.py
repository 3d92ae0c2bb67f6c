"""The folder index: what a folder's files held when they were last read, so that unchanged ones are not read again.

A file is taken as unchanged when size, modification time, change time and inode are the same. One that was touched within
`RACY_NS` of the reading is not remembered: a later write could leave all four as they are.
"""

from __future__ import annotations

import array
from pathlib import Path
from typing import Any

import cbor2
import zstandard

from rampa.core.content.parameters import CutParameters
from rampa.core.content.selecting import Selected
from rampa.core.content.tree import DIGEST_SIZE, Chunk, FileEntry

VERSION = 1
RACY_NS = 100_000_000


class FolderIndex:
    """`file` holds the index, or does not exist yet; a damaged or foreign one counts as empty."""

    def __init__(self, file: Path, parameters: CutParameters, now_ns: int) -> None:
        self._file = file
        self._parameters = parameters
        self._now_ns = now_ns
        self._rows: dict[str, list[Any]] = self._load()
        self._changed = False

    def look_up(self, file: Selected) -> FileEntry | None:
        row = self._rows.get(file.disk)
        if row is None or tuple(row[0]) != file.stamp:
            return None
        digest, digests, sizes = row[1], row[2], array.array("I", row[3])
        chunks = tuple(Chunk(digests[i * DIGEST_SIZE : (i + 1) * DIGEST_SIZE], size) for i, size in enumerate(sizes))
        return FileEntry(file.path, file.size, file.executable, digest, chunks)

    def remember(self, files: list[Selected], entries: list[FileEntry]) -> None:
        for file, entry in zip(files, entries, strict=True):
            if max(file.stamp[1], file.stamp[2]) < self._now_ns - RACY_NS and entry.size == file.size:
                digests = b"".join(c.digest for c in entry.chunks)
                sizes = array.array("I", [c.size for c in entry.chunks]).tobytes()
                self._rows[file.disk] = [list(file.stamp), entry.digest, digests, sizes]
                self._changed = True

    def save(self) -> None:
        """Writes the index beside and renames it; losing it costs a second reading and nothing else."""
        if not self._changed:
            return
        body = {"version": VERSION, "cut": self._cut(), "rows": self._rows}
        packed = zstandard.ZstdCompressor(level=1).compress(cbor2.dumps(body))
        self._file.parent.mkdir(parents=True, exist_ok=True)
        beside = self._file.with_suffix(".new")
        beside.write_bytes(packed)
        beside.replace(self._file)
        self._changed = False

    def _cut(self) -> list[int]:
        p = self._parameters
        return [p.minimum, p.average, p.maximum, p.normalisation]

    def _load(self) -> dict[str, list[Any]]:
        try:
            body = cbor2.loads(zstandard.ZstdDecompressor().decompress(self._file.read_bytes()))
            if body["version"] == VERSION and body["cut"] == self._cut():
                return dict(body["rows"])
        except Exception:
            return {}
        return {}
