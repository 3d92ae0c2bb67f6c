"""Writing ZIP bundles (APPNOTE 6.3.10): the same tree gives the same bytes.

Entries in the order given, fixed time and attributes, UTF-8 names, ZIP64 where sizes ask for it, no data descriptors. Content is
deflated (RFC 1951) in pieces of a mebibyte on several threads, each primed with the 32 KiB before it, which join to one stream;
what does not gain from it is stored. Memory is a few pieces, whatever the size.
"""

from __future__ import annotations

import os
import struct
import zlib
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from rampa.core.content import parallel
from rampa.core.content.paths import check_path, printable
from rampa.core.errors import Conflict

PIECE = 1024 * 1024
WINDOW = 32 * 1024
LEVEL = 6
SAMPLE = 128 * 1024
WORTH = 0.97
"""A file is deflated when its first `SAMPLE` bytes shrink to less than this share."""
DOS_TIME, DOS_DATE = 0, (1 << 5) | 1
STORE, DEFLATE = 0, 8
UTF8 = 0x0800
LIMIT32, LIMIT16 = 0xFFFFFFFF, 0xFFFF


@dataclass(frozen=True)
class Member:
    """`name` is the path in the bundle; `source` a file, or a symbolic link's target as text."""

    name: str
    source: Path | str
    size: int
    executable: bool = False


@dataclass
class _Record:
    name: bytes
    method: int
    crc: int
    stored: int
    size: int
    offset: int
    mode: int


def write_zip(
    out: BinaryIO,
    members: Iterable[Member],
    workers: int = parallel.WORKERS,
    progress: Callable[[int], None] = lambda _: None,
) -> int:
    """Writes a whole bundle to a seekable stream; returns its size in bytes. Raises `Conflict` for a changed file.

    `progress` is told bytes of content as they are written.
    """
    records = []
    with parallel.pool(workers) as threads:
        for member in members:
            records.append(_write_member(out, member, threads, progress))
    return _write_directory(out, records)


def _write_member(
    out: BinaryIO, member: Member, threads: ThreadPoolExecutor, progress: Callable[[int], None]
) -> _Record:
    record = _Record(check_path(member.name).encode(), STORE, 0, 0, member.size, out.tell(), _mode(member))
    if isinstance(member.source, str):
        body = member.source.encode()
        record.crc, record.stored, record.size = zlib.crc32(body), len(body), len(body)
        out.write(_local_header(record) + body)
        return record
    fd = os.open(member.source, os.O_RDONLY | getattr(os, "O_BINARY", 0))
    try:
        if os.fstat(fd).st_size != member.size:
            raise _changed(member)
        if member.size and _worth_deflating(os.pread(fd, SAMPLE, 0)):
            record.method = DEFLATE
        out.write(_local_header(record))
        for body, crc_part in _pieces(fd, member, record.method, threads):
            record.crc = zlib.crc32(crc_part, record.crc)
            out.write(body)
            record.stored += len(body)
            progress(len(crc_part))
    finally:
        os.close(fd)
    end = out.tell()
    out.seek(record.offset)
    out.write(_local_header(record))
    out.seek(end)
    return record


def _pieces(fd: int, member: Member, method: int, threads: ThreadPoolExecutor) -> Iterator[tuple[bytes, memoryview]]:
    """(what is written, the content it stands for), in order."""

    def work(at: int) -> tuple[bytes, memoryview]:
        before = min(at, WINDOW) if method == DEFLATE else 0
        size = min(PIECE, member.size - at)
        data = os.pread(fd, before + size, at - before)
        if len(data) != before + size:
            raise _changed(member)
        own = memoryview(data)[before:]
        if method == STORE:
            return data, own
        return _deflate(own, data[:before], last=at + size == member.size), own

    yield from parallel.in_order(threads, work, range(0, member.size, PIECE))


def _deflate(data: memoryview, before: bytes, last: bool) -> bytes:
    squeeze = zlib.compressobj(LEVEL, zlib.DEFLATED, -15, 9, zlib.Z_DEFAULT_STRATEGY, before)
    return squeeze.compress(data) + squeeze.flush(zlib.Z_FINISH if last else zlib.Z_SYNC_FLUSH)


def _worth_deflating(sample: bytes) -> bool:
    return len(zlib.compress(sample, 1)) < WORTH * len(sample)


def _mode(member: Member) -> int:
    if isinstance(member.source, str):
        return 0o120777
    return 0o100755 if member.executable else 0o100644


def _local_header(r: _Record) -> bytes:
    """Section 4.3.7. The ZIP64 field is always there, so that the header's length is known before the content is."""
    extra = struct.pack("<HHQQ", 1, 16, r.size, r.stored)
    return (
        struct.pack(
            "<IHHHHHIIIHH",
            0x04034B50, 45, UTF8, r.method, DOS_TIME, DOS_DATE, r.crc, LIMIT32, LIMIT32, len(r.name), len(extra),
        )
        + r.name
        + extra
    )  # fmt: skip


def _directory_entry(r: _Record) -> bytes:
    """Section 4.3.12."""
    extra = struct.pack("<HHQQQ", 1, 24, r.size, r.stored, r.offset)
    return (
        struct.pack(
            "<IHHHHHHIIIHHHHHII",
            0x02014B50, (3 << 8) | 45, 45, UTF8, r.method, DOS_TIME, DOS_DATE, r.crc, LIMIT32, LIMIT32,
            len(r.name), len(extra), 0, 0, 0, r.mode << 16, LIMIT32,
        )
        + r.name
        + extra
    )  # fmt: skip


def _write_directory(out: BinaryIO, records: list[_Record]) -> int:
    """Sections 4.3.12 to 4.3.16."""
    start = out.tell()
    for record in records:
        out.write(_directory_entry(record))
    end = out.tell()
    count = len(records)
    out.write(struct.pack("<IQHHIIQQQQ", 0x06064B50, 44, 45, 45, 0, 0, count, count, end - start, start))
    out.write(struct.pack("<IIQI", 0x07064B50, 0, end, 1))
    short = min(count, LIMIT16)
    out.write(struct.pack("<IHHHHIIH", 0x06054B50, 0, 0, short, short, LIMIT32, LIMIT32, 0))
    return out.tell()


def _changed(member: Member) -> Conflict:
    return Conflict(
        "file.changed",
        "this file changed while the bundle was written",
        where=printable(member.name),
        hint="Let the export finish, then run the command again.",
    )
