"""Writing ZIP bundles (APPNOTE 6.3.10): the same members give the same bytes.

Members in the order given, fixed time and attributes, UTF-8 names, ZIP64 only where sizes ask for it, no data descriptors.
Content is deflated (RFC 1951) in pieces of a mebibyte on several threads, each primed with the 32 KiB before it, which join;
what does not gain from it is stored. The pieces of all members go through one line: many small files keep every thread busy.
Memory is a few pieces, whatever the size. The deflater is zlib-ng; its level 5 packs within a hundredth of zlib's level 6.
"""

from __future__ import annotations

import os
import threading
import zlib
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import BinaryIO

from zlib_ng import zlib_ng

from rampa.core import parallel
from rampa.core.bundle import zip_structure as z
from rampa.core.bundle.crc32 import crc32_combine
from rampa.core.bundle.sources import ByteSource
from rampa.core.bundle.zip_structure import Entry
from rampa.core.content.tree.paths import check_path, printable
from rampa.core.errors import Conflict

PIECE = 1024 * 1024
WINDOW = 32 * 1024
LEVEL = 5
SAMPLE = 64 * 1024
WORTH = 0.97
"""A file is deflated when its first `SAMPLE` bytes shrink to less than this share."""
NEARLY = z.LIMIT32 - 64 * 1024 * 1024
"""From here on a local header has room for ZIP64 sizes: deflating could make it a little larger."""
AHEAD = 16


@dataclass(frozen=True)
class Copied:
    """Stored bytes of an entry of another bundle, which are taken over as they are."""

    source: ByteSource
    entry: Entry


@dataclass(frozen=True)
class Member:
    """`name` is the path in the bundle; `source` a file, bytes, a symbolic link's target as text, or an entry to copy.

    `method` is STORE or DEFLATE, or None: what gains is deflated. Stored content begins at a multiple of `align` bytes.
    """

    name: str
    source: Path | bytes | str | Copied
    size: int
    executable: bool = False
    method: int | None = None
    align: int = 1


def write_zip(
    out: BinaryIO,
    members: Iterable[Member],
    workers: int = parallel.WORKERS,
    progress: Callable[[int], None] = lambda _: None,
    settled: Callable[[int], None] = lambda _: None,
) -> int:
    """Writes a whole bundle to a seekable stream; returns its size in bytes. Raises `Conflict` for a changed file.

    `progress` is told bytes of content as they are written, `settled` the offset below which nothing changes any more.
    """
    writer = _Writer(out)
    with parallel.pool(workers) as threads:
        jobs = _jobs(members)
        for job, done in parallel.in_order(threads, lambda j: (j, j.work()), jobs, ahead=AHEAD):
            writer.take(job, done)
            progress(job.length)
            settled(writer.settled)
    return writer.finish()


@dataclass
class _Done:
    body: bytes
    crc: int


class _Open:
    """A member that is being read: its file, and what was decided about it."""

    def __init__(self, member: Member) -> None:
        self.member = member
        self.method = z.STORE if member.method is None else member.method
        self.decided = threading.Event()
        self.left = max(1, -(-member.size // PIECE))
        if isinstance(member.source, Path):
            self.file = member.source.open("rb", buffering=0)
            if os.fstat(self.file.fileno()).st_size != member.size:
                raise _changed(member)

    def read(self, at: int, size: int) -> bytes:
        source = self.member.source
        if isinstance(source, Path):
            data = os.pread(self.file.fileno(), size, at)
        elif isinstance(source, Copied):
            data = source.source.read_at(source.entry.data + at, size)
        else:
            data = (source.encode() if isinstance(source, str) else source)[at : at + size]
        if len(data) != size:
            raise _changed(self.member)
        return data

    def close(self) -> None:
        if isinstance(self.member.source, Path):
            self.file.close()


@dataclass
class _Job:
    """One piece of one member."""

    opened: _Open
    at: int
    length: int

    @property
    def first(self) -> bool:
        return self.at == 0

    @property
    def last(self) -> bool:
        return self.at + self.length == self.opened.member.size

    def work(self) -> _Done:
        try:
            return self._work()
        finally:
            # Whatever happened, the pieces behind the first one must not wait for its decision for ever.
            self.opened.decided.set()

    def _work(self) -> _Done:
        member, opened = self.opened.member, self.opened
        if isinstance(member.source, Copied):
            return _Done(opened.read(self.at, self.length), 0)
        before = min(self.at, WINDOW)
        data = opened.read(self.at - before, before + self.length)
        fresh = memoryview(data)[before:]
        if self.first:
            opened.method = _choose(member, fresh)
            opened.decided.set()
        else:
            opened.decided.wait()
        body = bytes(fresh) if opened.method == z.STORE else _deflate(fresh, data[:before], self.last)
        # Only the whole shows: a small file's sample is the file.
        if self.first and self.last and member.method is None and len(body) >= WORTH * len(fresh):
            opened.method, body = z.STORE, bytes(fresh)
        return _Done(body, zlib.crc32(fresh))


def _jobs(members: Iterable[Member]) -> Iterator[_Job]:
    for member in members:
        opened = _Open(member)
        length = member.source.entry.stored if isinstance(member.source, Copied) else member.size
        opened.member = replace(member, size=length)
        for at in range(0, max(1, length), PIECE):
            yield _Job(opened, at, min(PIECE, length - at))


def _choose(member: Member, start: memoryview) -> int:
    if member.method is not None:
        return member.method
    if not start or isinstance(member.source, str):
        return z.STORE
    if member.size <= PIECE:
        return z.DEFLATE  # tried as a whole, and stored when it does not gain
    sample = bytes(start[:SAMPLE])
    return z.DEFLATE if len(zlib_ng.compress(sample, 1)) < WORTH * len(sample) else z.STORE


def _deflate(data: memoryview, before: bytes, last: bool) -> bytes:
    squeeze = zlib_ng.compressobj(
        LEVEL, zlib_ng.DEFLATED, -15, 9, zlib_ng.Z_DEFAULT_STRATEGY, *([before] if before else [])
    )
    # Each piece but the last ends at a byte, so that the next one can be written behind it.
    return squeeze.compress(data) + squeeze.flush(zlib_ng.Z_FINISH if last else zlib_ng.Z_SYNC_FLUSH)


class _Writer:
    """Puts the pieces into the file in order, patches local headers, writes the directory."""

    def __init__(self, out: BinaryIO) -> None:
        self._out, self._entries = out, list[Entry]()
        self._offset = 0
        self._padding, self._wide = 0, False
        self.settled = 0
        """Bytes at the start that stay as they are."""

    def take(self, job: _Job, done: _Done) -> None:
        member, opened = job.opened.member, job.opened
        copied = member.source.entry if isinstance(member.source, Copied) else None
        if job.first:
            self._begin(member, copied.method if copied else opened.method, copied, done)
        entry = self._entries[-1]
        self._out.write(done.body)
        self._offset += len(done.body)
        if copied is None and not job.first:
            entry.crc = crc32_combine(entry.crc, done.crc, job.length)
            entry.stored += len(done.body)
        if job.last:
            opened.close()
            # A file of one piece was known when its header was written: going back would cost more than the file.
            if copied is None and not job.first:
                self._patch(entry)
        if job.last or copied:
            self.settled = self._offset

    def _begin(self, member: Member, method: int, copied: Entry | None, done: _Done) -> None:
        raw = check_path(member.name).encode() if copied is None else member.name.encode()
        flags = 0 if raw.isascii() else z.UTF8
        size = copied.size if copied else member.size
        entry = Entry(
            member.name, raw, method, flags, done.crc, len(done.body), size, self._offset, _mode(member, copied)
        )
        if copied:
            entry.crc, entry.stored = copied.crc, copied.stored
        # The room for ZIP64 sizes is decided before the size is known: later it would move everything behind it.
        self._wide = size >= NEARLY or z.wide(entry)
        self._padding = self._padding_for(entry, member.align) if method == z.STORE else 0
        header = z.local_header(entry, self._padding, self._wide)
        self._out.write(header)
        self._offset += len(header)
        self._entries.append(entry)

    def _padding_for(self, entry: Entry, align: int) -> int:
        at = self._offset + len(z.local_header(entry, 0, self._wide))
        gap = -at % align
        while 0 < gap < 4:  # a field's own head takes four bytes
            gap += align
        return gap

    def _patch(self, entry: Entry) -> None:
        """The checksum and sizes were not known when the header was written."""
        self._out.seek(entry.header)
        self._out.write(z.local_header(entry, self._padding, self._wide))
        self._out.seek(self._offset)

    def finish(self) -> int:
        start = self._offset
        for entry in self._entries:
            self._offset += self._out.write(z.central_header(entry))
        self._offset += self._out.write(z.end_records(len(self._entries), start, self._offset - start))
        return self._offset


def _mode(member: Member, copied: Entry | None) -> int:
    if copied is not None and copied.mode:
        return copied.mode
    if isinstance(member.source, str):
        return 0o120777
    return 0o100755 if member.executable else 0o100644


def _changed(member: Member) -> Conflict:
    return Conflict(
        "file.changed",
        "this file changed while the bundle was written",
        where=printable(member.name),
        hint="Let the export finish, then run the command again.",
    )
