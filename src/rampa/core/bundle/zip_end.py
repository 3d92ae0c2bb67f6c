"""Where a ZIP file ends: the end record, which must close the file, and the ZIP64 records before it."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.core.bundle import zip_structure as z
from rampa.core.bundle.sources import ByteSource
from rampa.core.content.tree.paths import printable
from rampa.core.errors import Damaged


def find_end(source: ByteSource) -> tuple[int, bytes, int, int, int]:
    """(where the end records begin, comment, entries, directory's size, directory's start)."""
    tail_at = max(0, source.size - z.END_RECORD.size - z.LIMIT16)
    tail = source.read_at(tail_at, source.size - tail_at)
    found = [
        at
        for at in _positions(tail, z.END.to_bytes(4, "little"))
        if at + z.END_RECORD.size <= len(tail)
        and at + z.END_RECORD.size + int.from_bytes(tail[at + 20 : at + 22], "little") == len(tail)
    ]
    if not found:
        if z.END.to_bytes(4, "little") in tail:
            raise bad_zip("zip.trailing", "bytes follow the end record: something was added, or the end was cut off")
        raise bad_zip("zip.not", "this is not a ZIP file, or its end is missing")
    if len(found) > 1:
        raise bad_zip(
            "zip.ambiguous", "the comment holds a second end record: readers would disagree about the content"
        )
    at = found[0]
    _, disk, first, here, count, size, start, _ = z.END_RECORD.unpack_from(tail, at)
    if disk or first or here != count:
        raise bad_zip("zip.split", "it is one part of a ZIP file in several parts")
    position = tail_at + at
    locator = source.read_at(max(0, position - z.LOCATOR64_RECORD.size), z.LOCATOR64_RECORD.size)
    if len(locator) == z.LOCATOR64_RECORD.size and locator[:4] == z.LOCATOR64.to_bytes(4, "little"):
        wide_at, wide = _end64(source, locator, position)
        for short, long, limit in zip((count, size, start), wide, (z.LIMIT16, z.LIMIT32, z.LIMIT32), strict=True):
            if short not in (limit, long):
                raise bad_zip("zip.ambiguous", "the end record and its ZIP64 record say different things")
        count, size, start = wide
        position = wide_at
    return position, tail[at + z.END_RECORD.size :], count, size, start


def _end64(source: ByteSource, locator: bytes, locator_end: int) -> tuple[int, tuple[int, int, int]]:
    _, disk, at, disks = z.LOCATOR64_RECORD.unpack(locator)
    record = source.read_at(at, z.END64_RECORD.size)
    if disk or disks > 1:
        raise bad_zip("zip.split", "it is one part of a ZIP file in several parts")
    if len(record) < z.END64_RECORD.size or record[:4] != z.END64.to_bytes(4, "little"):
        raise bad_zip("zip.directory", "its ZIP64 end record is not where it says")
    _, length, _, _, this, first, here, count, size, start = z.END64_RECORD.unpack(record)
    if this or first or here != count:
        raise bad_zip("zip.split", "it is one part of a ZIP file in several parts")
    if at + 12 + length != locator_end - z.LOCATOR64_RECORD.size:
        raise bad_zip("zip.directory", "bytes lie between its end records")
    return at, (count, size, start)


def _positions(data: bytes, what: bytes) -> Iterator[int]:
    at = data.find(what)
    while at >= 0:
        yield at
        at = data.find(what, at + 1)


def bad_zip(code: str, message: str, where: str = "") -> Damaged:
    return Damaged(code, message, where=printable(where), hint=HINTS.get(code, ""))


HINTS = {
    "zip.not": "Name the bundle itself. A download that broke off can look like this, too.",
    "zip.trailing": "Fetch or write the file again; nothing may follow the end record.",
}
