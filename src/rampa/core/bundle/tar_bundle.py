"""`tar.zst` bundles: a tar archive (POSIX.1-2001 pax) in one zstd stream (RFC 8878). The same members give the same bytes.

Fixed owner, time and modes; members in the order given. zstd works on several threads, in jobs of one size however many.
"""

from __future__ import annotations

import io
import tarfile
import zlib
from collections.abc import Callable, Iterable, Iterator
from typing import IO, BinaryIO, cast

import zstandard

from rampa.core import parallel
from rampa.core.bundle.sources import ByteSource, read_through
from rampa.core.bundle.zip_reader import entry_name_problem
from rampa.core.bundle.zip_structure import STORE, Entry
from rampa.core.bundle.zip_writer import Member
from rampa.core.content.tree.paths import check_path, printable
from rampa.core.errors import Conflict, Damaged

MAGIC = b"\x28\xb5\x2f\xfd"
JOB = 8 * 1024 * 1024
MAX_ENTRIES = 5_000_000


def write_tar_zst(
    out: BinaryIO,
    members: Iterable[Member],
    level: int = 9,
    workers: int = parallel.WORKERS,
    progress: Callable[[int], None] = lambda _: None,
) -> int:
    """Writes a whole bundle; returns its size in bytes. Raises `Conflict` for a file that changed meanwhile."""
    # Jobs of one size whatever the number of threads: the bytes must not depend on the machine.
    parameters = zstandard.ZstdCompressionParameters.from_level(
        level, threads=workers, job_size=JOB, write_checksum=True, window_log=23
    )
    squeeze = zstandard.ZstdCompressor(compression_params=parameters)
    start = out.tell()
    with (
        squeeze.stream_writer(out, closefd=False) as stream,
        tarfile.open(fileobj=stream, mode="w|", format=tarfile.PAX_FORMAT, bufsize=1 << 20) as tar,
    ):
        for member in members:
            _add(tar, member, progress)
    return out.tell() - start


def _add(tar: tarfile.TarFile, member: Member, progress: Callable[[int], None]) -> None:
    info = tarfile.TarInfo(check_path(member.name))
    info.mtime = 0
    info.mode = 0o755 if member.executable else 0o644
    if isinstance(member.source, str):
        info.type, info.linkname, info.mode = tarfile.SYMTYPE, member.source, 0o777
        tar.addfile(info)
        return
    info.size = member.size
    if isinstance(member.source, bytes):
        tar.addfile(info, io.BytesIO(member.source))
        return
    assert not hasattr(member.source, "entry"), "entries of ZIP files are not copied into tar"
    with member.source.open("rb") as stream:
        tar.addfile(info, _Watched(stream, member, progress))


class _Watched(io.RawIOBase):
    """A member's file: it says how far it is, and when it became shorter than it was listed."""

    def __init__(self, stream: BinaryIO, member: Member, progress: Callable[[int], None]) -> None:
        self._stream, self._member, self._progress = stream, member, progress

    def readable(self) -> bool:
        return True

    def readinto(self, into: object) -> int:
        raise io.UnsupportedOperation

    def read(self, size: int = -1, /) -> bytes:
        data = self._stream.read(size)
        if len(data) < size:
            where = printable(self._member.name)
            raise Conflict("file.changed", "this file changed while the bundle was written", where=where)
        self._progress(len(data))
        return data


def is_tar_zst(source: ByteSource) -> bool:
    return source.read_at(0, 4) == MAGIC


def read_tar_zst(source: ByteSource) -> Iterator[tuple[Entry, Iterator[bytes]]]:
    """Each entry with its content, which must be read before the next. Raises `Damaged` for what no bundle holds."""
    seen: set[str] = set()
    stream = zstandard.ZstdDecompressor().stream_reader(cast(IO[bytes], _TarReading(source)), read_across_frames=True)
    try:
        with tarfile.open(fileobj=stream, mode="r|", bufsize=1 << 20) as tar:
            for info in tar:
                entry = _entry(info, seen)
                seen.add(entry.name)
                if len(seen) > MAX_ENTRIES:
                    raise Damaged("tar.entries", "it holds absurdly many entries")
                yield entry, _content(tar, info)
    except (tarfile.TarError, zstandard.ZstdError, zlib.error, EOFError) as error:
        raise Damaged("tar.damaged", f"this is no tar.zst bundle, or it is damaged ({error})") from error


def _entry(info: tarfile.TarInfo, seen: set[str]) -> Entry:
    name = info.name
    # Devices and pipes in an archive have no place on a player's disk.
    if not (info.isreg() or info.issym() or info.isdir()):
        raise Damaged("tar.kind", "it is neither a file, a folder nor a link", where=printable(name))
    problem = entry_name_problem(name)
    if problem:
        raise Damaged("tar.path", f"this name is dangerous: {problem}", where=printable(name))
    if name in seen:
        raise Damaged("tar.twice", "it is there twice", where=printable(name))
    kind = 0o120000 if info.issym() else 0o040000 if info.isdir() else 0o100000
    shown = name + "/" if info.isdir() else name
    return Entry(shown, name.encode(), STORE, 0, 0, info.size, info.size, info.offset_data, kind | info.mode & 0o777)


def _content(tar: tarfile.TarFile, info: tarfile.TarInfo) -> Iterator[bytes]:
    if info.issym():
        yield info.linkname.encode()
        return
    stream = tar.extractfile(info)
    while stream is not None and (piece := stream.read(1 << 20)):
        yield piece


class _TarReading(io.RawIOBase):
    """A source as a stream."""

    def __init__(self, source: ByteSource) -> None:
        self._pieces, self._rest = read_through(source, 0, source.size), b""

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1, /) -> bytes:
        while size < 0 or len(self._rest) < size:
            piece = next(self._pieces, b"")
            if not piece:
                break
            self._rest += piece
        size = len(self._rest) if size < 0 else size
        out, self._rest = self._rest[:size], self._rest[size:]
        return out
