"""Reading ZIP files strictly (APPNOTE 6.3.10): what two readers could understand in two ways is refused, with the reason.

The order: the end record, which must close the file; the ZIP64 records before it; the directory, which must lie
directly before those; each entry's local header, which must say the same as the directory; then no two entries may overlap.
Nothing is unpacked before all of that held. Names are checked before anybody sees them.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field

from rampa.core.bundle import zip_structure as z
from rampa.core.bundle.sources import PIECE, ByteSource
from rampa.core.bundle.zip_end import bad_zip, find_end
from rampa.core.bundle.zip_structure import Entry
from rampa.core.content.tree.paths import printable
from rampa.core.errors import NotFound

MAX_ENTRIES = 1_000_000
MAX_DIRECTORY = 256 * 1024 * 1024
MAX_RATIO = 1032
"""Deflate cannot do better (RFC 1951: 258 bytes in two bits): a larger ratio is a lie."""
MAX_IN_MEMORY = 256 * 1024 * 1024


@dataclass
class Archive:
    """A ZIP file that was read: entries in the directory's order. `start` and `end` bound the directory, in bytes.

    `comment` is the end record's. `gaps` are regions (offset, length) that belong to no entry, before the directory.
    """

    source: ByteSource
    entries: list[Entry]
    start: int
    end: int
    comment: bytes
    gaps: list[tuple[int, int]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.by_name = {e.name: e for e in self.entries}

    def entry(self, name: str) -> Entry:
        found = self.by_name.get(name)
        if found is None:
            raise NotFound("bundle.entry", f"the bundle has no {printable(name)}", where=printable(name))
        return found

    def read(self, name: str, limit: int = MAX_IN_MEMORY) -> bytes:
        """An entry's content. Raises `Damaged` when it is larger than `limit` bytes or not what its checksum says."""
        entry = self.entry(name)
        if entry.size > limit:
            raise bad_zip("zip.too-large", f"{entry.size:,} bytes are more than this file may have ({limit:,})", name)
        return b"".join(self.stream(entry))

    def stream(self, entry: Entry) -> Iterator[bytes]:
        """An entry's content in pieces, checked as it goes."""
        pieces = self.stored(entry)
        if entry.method == z.DEFLATE:
            pieces = _inflated(pieces, entry)
        crc = size = 0
        for piece in pieces:
            size += len(piece)
            if size > entry.size:
                raise bad_zip("zip.size", "more comes out of it than it says", entry.name)
            crc = zlib.crc32(piece, crc)
            yield piece
        if size != entry.size:
            raise bad_zip("zip.size", f"{size:,} bytes come out of it, and it says {entry.size:,}", entry.name)
        if crc != entry.crc:
            raise bad_zip("zip.checksum", "its content does not have the checksum that it says", entry.name)

    def stored(self, entry: Entry) -> Iterator[bytes]:
        """The bytes as they are stored."""
        at, left = entry.data, entry.stored
        while left:
            piece = self.source.read_at(at, min(PIECE, left))
            if not piece:
                raise bad_zip("zip.truncated", "the file ends inside it", entry.name)
            yield piece
            at, left = at + len(piece), left - len(piece)


def read_zip(source: ByteSource) -> Archive:
    """Reads and checks the structure. Raises `Damaged` with the first thing that does not hold."""
    end_at, comment, count, size, start = find_end(source)
    # More than this between the directory and its end record could hide a second one.
    if start + size != end_at:
        raise bad_zip("zip.directory", f"the directory ends at {start + size:,}, and its end record is at {end_at:,}")
    if count > MAX_ENTRIES or size > MAX_DIRECTORY:
        raise bad_zip("zip.directory", f"the directory is absurdly large: {count:,} entries, {size:,} bytes")
    directory = source.read_at(start, size)
    entries = _directory(directory, count)
    _must_be_distinct(entries)
    for entry in entries:
        _look_at_local(source, entry, start)
    return Archive(source, entries, start, end_at, comment, _gaps(source, entries, start))


def _directory(data: bytes, count: int) -> list[Entry]:
    entries: list[Entry] = []
    at = 0
    for _ in range(count):
        if at + z.CENTRAL_HEADER.size > len(data):
            raise bad_zip("zip.directory", f"the directory ends after {len(entries):,} of {count:,} entries")
        (
            signature, made_by, _, flags, method, _, _, crc, stored, size, name_size, extra_size, comment_size, disk, _,
            attributes, header,
        ) = z.CENTRAL_HEADER.unpack_from(data, at)  # fmt: skip
        if signature != z.CENTRAL:
            raise bad_zip("zip.directory", f"entry {len(entries) + 1:,} of the directory is not one")
        name_at = at + z.CENTRAL_HEADER.size
        raw, extra_at = data[name_at : name_at + name_size], name_at + name_size
        at = extra_at + extra_size + comment_size
        name = _name(raw, flags)
        if at > len(data):
            raise bad_zip("zip.directory", "the directory ends inside this entry", name)
        extra = data[extra_at : extra_at + extra_size] if extra_size else b""
        try:
            limits = [(size, z.LIMIT32), (stored, z.LIMIT32), (header, z.LIMIT32), (disk, z.LIMIT16)]
            size, stored, header, disk = [*z.widened(extra, limits[:3]), disk]
        except ValueError as error:
            raise bad_zip("zip.size", str(error), name) from error
        # High bits hold a Unix mode only where a Unix made the file (APPNOTE 4.4.2).
        mode = attributes >> 16 if made_by >> 8 in (3, 19) else 0
        entry = Entry(name, raw, method, flags, crc, stored, size, header, mode)
        _must_make_sense(entry, disk)
        entries.append(entry)
    if at != len(data):
        raise bad_zip("zip.directory", f"{len(data) - at:,} bytes of the directory belong to no entry")
    return entries


def _name(raw: bytes, flags: int) -> str:
    """Entries without the UTF-8 flag are in code page 437 by the specification; in truth most are UTF-8 as well."""
    try:
        name = raw.decode("utf-8")
    except UnicodeDecodeError:
        if flags & z.UTF8:
            raise bad_zip("zip.name", "a name that says it is UTF-8 is not", repr(raw[:80])) from None
        name = raw.decode("cp437")
    problem = entry_name_problem(name)
    if problem:
        raise bad_zip("zip.path", f"this name is dangerous: {problem}", printable(name))
    return name


def entry_name_problem(name: str) -> str:
    """What is wrong with an entry's name, as a clause; empty when nothing is. Laxer than for what we write."""
    if not name:
        return "it is empty"
    if name.startswith("/") or (len(name) > 1 and name[1] == ":" and name[0].isalpha()):
        return "it is absolute"
    if "\\" in name or "\0" in name:
        return "it holds a backslash or a NUL"
    parts = (name.removesuffix("/")).split("/")
    if ".." in parts:
        return "it leads out of the folder"
    if "" in parts or "." in parts:
        return "it holds an empty name or a single dot"
    return ""


def _must_make_sense(entry: Entry, disk: int) -> None:
    if disk:
        raise bad_zip("zip.split", "it lies in another part of a ZIP file in several parts", entry.name)
    if entry.flags & z.ENCRYPTED:
        raise bad_zip("zip.encrypted", "it is encrypted, which no platform installs", entry.name)
    if entry.method not in (z.STORE, z.DEFLATE):
        raise bad_zip(
            "zip.method", f"it is packed by method {entry.method}; only stored and deflated are read", entry.name
        )
    if entry.method == z.STORE and entry.size != entry.stored:
        raise bad_zip("zip.size", "it is stored, and yet has two sizes", entry.name)
    if entry.size > MAX_RATIO * entry.stored + MAX_RATIO:
        message = f"{entry.stored:,} bytes cannot hold {entry.size:,}: deflate packs at most {MAX_RATIO} to 1"
        raise bad_zip("zip.ratio", message, entry.name)
    if entry.is_folder and entry.size:
        raise bad_zip("zip.size", "it is a folder, and has content", entry.name)


def _must_be_distinct(entries: list[Entry]) -> None:
    seen: set[str] = set()
    for entry in entries:
        if entry.name in seen:
            raise bad_zip("zip.twice", "it is there twice: readers would disagree about which one counts", entry.name)
        seen.add(entry.name)


def _look_at_local(source: ByteSource, entry: Entry, limit: int) -> None:
    """The local header says the same as the directory; sets where the content lies."""
    # Read a little further than the header: names and extra fields come with the same read.
    head = source.read_at(entry.header, z.LOCAL_HEADER.size + len(entry.raw) + 64)
    if entry.header + z.LOCAL_HEADER.size > limit or len(head) < z.LOCAL_HEADER.size:
        raise bad_zip("zip.local", "its local header lies outside the file's content", entry.name)
    signature, _, flags, method, _, _, crc, stored, size, name_size, extra_size = z.LOCAL_HEADER.unpack_from(head)
    if signature != z.LOCAL:
        raise bad_zip("zip.local", "there is no local header where the directory says", entry.name)
    if head[z.LOCAL_HEADER.size : z.LOCAL_HEADER.size + name_size] != entry.raw:
        raise bad_zip("zip.local", "its local header has another name", entry.name)
    if method != entry.method or (flags ^ entry.flags) & (z.ENCRYPTED | z.DESCRIBED):
        raise bad_zip("zip.local", "its local header says another way of packing", entry.name)
    entry.data = entry.header + z.LOCAL_HEADER.size + name_size + extra_size
    entry.end = entry.data + entry.stored
    if entry.end > limit:
        raise bad_zip("zip.truncated", "its content reaches into the directory or beyond the end", entry.name)
    if z.LIMIT32 in (stored, size):
        extra = source.read_at(entry.header + z.LOCAL_HEADER.size + name_size, extra_size)
        try:
            size, stored = z.widened(extra, [(size, z.LIMIT32), (stored, z.LIMIT32)])
        except ValueError as error:
            raise bad_zip("zip.size", str(error), entry.name) from error
    said, meant = (crc, stored, size), (entry.crc, entry.stored, entry.size)
    if flags & z.DESCRIBED:
        # With a descriptor behind the content, the header may say zero, and nothing else that differs.
        if any(a not in (0, b) for a, b in zip(said, meant, strict=True)):
            raise bad_zip("zip.local", "its local header gives other sizes or another checksum", entry.name)
        _skip_descriptor(source, entry, limit)
    elif said != meant:
        raise bad_zip("zip.local", "its local header gives other sizes or another checksum", entry.name)


def _skip_descriptor(source: ByteSource, entry: Entry, limit: int) -> None:
    """Section 4.3.9: with or without its signature, with sizes of four or eight bytes."""
    found = source.read_at(entry.end, 24)
    for signature in (z.DESCRIPTOR.to_bytes(4, "little"), b""):
        for width in (4, 8):
            values = (entry.stored, entry.size)
            if max(values) >= 1 << (8 * width):
                continue
            wanted = signature + entry.crc.to_bytes(4, "little") + b"".join(v.to_bytes(width, "little") for v in values)
            if found.startswith(wanted) and entry.end + len(wanted) <= limit:
                entry.end += len(wanted)
                return
    raise bad_zip("zip.local", "the data descriptor behind it is missing or says something else", entry.name)


def _gaps(source: ByteSource, entries: list[Entry], start: int) -> list[tuple[int, int]]:
    gaps, at, before = [], 0, ""
    for entry in sorted(entries, key=lambda e: e.header):
        if entry.header < at:
            raise bad_zip("zip.overlap", f"it lies over {printable(before)}", entry.name)
        if entry.header > at:
            gaps.append((at, entry.header - at))
        at, before = entry.end, entry.name
    if start > at:
        gaps.append((at, start - at))
    # A program before the first entry makes a file that runs and unpacks: two meanings, so it is refused.
    if gaps and gaps[0][0] == 0 and entries and source.read_at(0, 4) != z.LOCAL.to_bytes(4, "little"):
        raise bad_zip("zip.prefix", f"{gaps[0][1]:,} bytes that are no ZIP entry lie before the first one")
    return gaps


def _inflated(pieces: Iterator[bytes], entry: Entry) -> Iterator[bytes]:
    stream = zlib.decompressobj(-15)
    try:
        for piece in pieces:
            while piece:
                yield stream.decompress(piece, PIECE)
                piece = stream.unconsumed_tail
        while not stream.eof and (out := stream.decompress(b"", PIECE)):
            yield out
    except zlib.error as error:
        raise bad_zip("zip.deflate", "its packed content is damaged", entry.name) from error
    # Bytes behind the deflated end would be seen by one reader and not by another.
    if not stream.eof or stream.unused_data:
        raise bad_zip("zip.deflate", "its packed content does not end where it should", entry.name)
