"""The digest of a package's content for signing blocks (source.android.com, "Integrity-protected contents").

Three sections, in pieces of a mebibyte: the entries, the directory, the end record as it would be without the block.

    digest := H(0x5a, number of pieces, H(0xa5, length, piece)*)

The pieces are digested on several threads; memory is a few of them.
"""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from types import MappingProxyType

from rampa.core import parallel
from rampa.core.bundle import zip_structure as z
from rampa.core.bundle.sources import PIECE, ByteSource, BytesSource, pieces
from rampa.core.bundle.zip_reader import Archive
from rampa.core.errors import Refused

Progress = Callable[[int], None]
Pieces = Mapping[int, dict[str, bytes]]
"""Offset of a whole piece of the entries -> its digest by each hash."""


class Ahead:
    """Digests the pieces of a file that is being written, as far as it will not change any more."""

    def __init__(self, source: ByteSource, names: Iterable[str], workers: int = parallel.WORKERS) -> None:
        self._source, self._names = source, list(names)
        self._threads = ThreadPoolExecutor(workers, thread_name_prefix="digest")
        self._made: dict[int, Future[dict[str, bytes]]] = {}

    def settled(self, offset: int) -> None:
        """What lies below `offset` is written."""
        at = len(self._made) * PIECE
        while at + PIECE <= offset:
            self._made[at] = self._threads.submit(_digest, self._source, at, PIECE, self._names)
            at += PIECE

    def collect(self) -> Pieces:
        return {at: future.result() for at, future in self._made.items()}

    def close(self) -> None:
        self._threads.shutdown(wait=True, cancel_futures=True)


def _digest(source: ByteSource, at: int, length: int, names: list[str]) -> dict[str, bytes]:
    data, found = source.read_at(at, length), {}
    for name in names:
        digest = hashlib.new(name, b"\xa5" + struct.pack("<I", length))
        digest.update(data)
        found[name] = digest.digest()
    return found


def digest_content(
    archive: Archive,
    entries_end: int,
    names: Iterable[str],
    workers: int = parallel.WORKERS,
    progress: Progress = lambda _: None,
    known: Pieces = MappingProxyType({}),
) -> dict[str, bytes]:
    """Hash name -> digest. `entries_end` is where the signing block is or will be, bytes; `progress` is told bytes.

    `known`: pieces of the entries that were digested already.
    """
    wanted = list(names)
    source = archive.source
    # The end record as it would be without a signing block: adding one must not change the digest.
    end = end_record(archive, entries_end)
    sections: list[tuple[ByteSource, int, int]] = [
        (source, 0, entries_end), (source, archive.start, archive.end), (BytesSource(end), 0, len(end)),
    ]  # fmt: skip
    tops = {name: hashlib.new(name) for name in wanted}
    count = sum(-(-(stop - start) // PIECE) for _, start, stop in sections)
    for top in tops.values():
        top.update(b"\x5a" + struct.pack("<I", count))

    def work(piece: tuple[ByteSource, int, int]) -> tuple[int, dict[str, bytes]]:
        section, at, length = piece
        if section is source and length == PIECE and at in known:
            return length, known[at]
        return length, _digest(section, at, length, wanted)

    def every() -> Iterator[tuple[ByteSource, int, int]]:
        for section, start, stop in sections:
            yield from ((section, at, length) for at, length in pieces(section, start, stop))

    with parallel.pool(workers) as threads:
        for length, found in parallel.in_order(threads, work, every()):
            for name, digest in found.items():
                tops[name].update(digest)
            progress(length)
    return {name: top.digest() for name, top in tops.items()}


def end_record(archive: Archive, directory_start: int) -> bytes:
    """The end record with the directory's start as given. Raises `Refused` for ZIP64, which no phone reads."""
    source = archive.source
    tail = source.read_at(archive.end, source.size - archive.end)
    if len(tail) != z.END_RECORD.size + len(archive.comment):
        hint = "Keep it below 4 GiB and 65,535 entries: move content into an addon or a depot of its own."
        raise Refused("signing.zip64", "a package with ZIP64 records cannot carry a signing block", hint=hint)
    fields = list(z.END_RECORD.unpack_from(tail))
    fields[6] = directory_start
    return z.END_RECORD.pack(*fields) + archive.comment
