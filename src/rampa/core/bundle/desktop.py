"""Desktop bundles: a ZIP or tar.zst with one top folder, executable bits, and a file of checksums in it.

The checksums stand in `SHA256SUMS` in the top folder, one line a file as `sha256sum` writes and reads them:
64 hexadecimal digits, two spaces, the path from the top folder. `check_path` has refused newlines and backslashes before.
"""

from __future__ import annotations

import hashlib
import os
import re
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import BinaryIO

from rampa.core import parallel
from rampa.core.bundle.sources import ByteSource
from rampa.core.bundle.tar_bundle import is_tar_zst, read_tar_zst, write_tar_zst
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.bundle.zip_structure import Entry
from rampa.core.bundle.zip_writer import Member, write_zip
from rampa.core.content.tree.links import leading_out
from rampa.core.content.tree.paths import check_link, check_path, printable
from rampa.core.errors import Damaged

SUMS = "SHA256SUMS"
LINE = re.compile(r"([0-9a-f]{64})  (.+)")
Progress = Callable[[int], None]


def write_desktop(
    out: BinaryIO,
    kind: str,
    top: str,
    members: list[Member],
    sums: bytes | None = None,
    workers: int = parallel.WORKERS,
    progress: Progress = lambda _: None,
) -> int:
    """`members` are named from the top folder; `sums` is the checksums file, made here when it is None. Returns bytes."""
    sums = checksums(members, workers) if sums is None else sums
    every = sorted([*members, Member(SUMS, sums, len(sums))], key=lambda m: m.name)
    placed = [Member(f"{top}/{m.name}", m.source, m.size, m.executable, m.method, m.align) for m in every]
    if kind == "tar.zst":
        return write_tar_zst(out, placed, workers=workers, progress=progress)
    return write_zip(out, placed, workers, progress)


def checksums(members: Iterable[Member], workers: int = parallel.WORKERS) -> bytes:
    """The checksums file. Links have none: they hold no content."""
    files = [m for m in members if not isinstance(m.source, str)]

    def work(position: int) -> str:
        source = files[position].source
        if isinstance(source, Path):
            with source.open("rb") as stream:
                return hashlib.file_digest(stream, "sha256").hexdigest()
        assert isinstance(source, bytes)
        return hashlib.sha256(source).hexdigest()

    with parallel.pool(workers) as threads:
        found = list(parallel.in_order(threads, work, range(len(files)), ahead=32))
    lines = sorted((m.name, digest) for m, digest in zip(files, found, strict=True))
    return "".join(f"{digest}  {name}\n" for name, digest in lines).encode()


def entries_of(source: ByteSource) -> Iterator[tuple[Entry, Iterator[bytes]]]:
    """Every entry of a ZIP or tar.zst with its content, in the bundle's order."""
    if is_tar_zst(source):
        yield from read_tar_zst(source)
        return
    archive = read_zip(source)
    for entry in archive.entries:
        yield entry, archive.stream(entry)


def verify_checksums(source: ByteSource, progress: Progress = lambda _: None) -> int | None:
    """How many files have the checksum that the bundle gives; None when it gives none. Raises `Damaged`."""
    found: dict[str, str] = {}
    sums: dict[str, bytes] = {}
    for entry, content in entries_of(source):
        if entry.is_folder or entry.is_link:
            continue
        digest, body = hashlib.sha256(), b""
        for piece in content:
            digest.update(piece)
            progress(len(piece))
            if entry.name.endswith("/" + SUMS) and len(body) < 1 << 28:
                body += piece
        found[entry.name] = digest.hexdigest()
        # Only the one in the top folder speaks for the bundle; a title may carry files of the same name further down.
        if body and entry.name.count("/") == 1:
            sums[entry.name] = body
    if not sums:
        return None
    name, body = next(iter(sums.items()))
    return _compare(name.removesuffix(SUMS), body, found)


def _compare(top: str, body: bytes, found: dict[str, str]) -> int:
    listed: dict[str, str] = {}
    # At newlines alone: a name may hold what Unicode counts as the end of a line, too.
    for number, line in enumerate(body.decode("utf-8", "replace").removesuffix("\n").split("\n"), 1):
        match = LINE.fullmatch(line)
        if match is None:
            raise Damaged("sums.line", "this line of the checksums file is none", where=f"{SUMS} line {number}")
        listed[top + match[2]] = match[1]
    for path, digest in listed.items():
        if found.get(path) != digest:
            what = "it is missing" if path not in found else "it does not have its checksum"
            raise Damaged("sums.other", f"{what}, by {SUMS}", where=printable(path))
    extra = sorted(set(found) - set(listed) - {top + SUMS})
    if extra:
        raise Damaged("sums.extra", f"it is not in {SUMS}: it was added later", where=printable(extra[0]))
    return len(listed)


def unpack(source: ByteSource, folder: Path) -> list[str]:
    """Unpacks into an empty folder, with executable bits and links; returns the paths. Each name is checked first."""
    written, links = [], {}
    for entry, content in entries_of(source):
        path = folder / check_path(entry.name.removesuffix("/"))
        if entry.is_folder:
            path.mkdir(parents=True, exist_ok=True)
            continue
        path.parent.mkdir(parents=True, exist_ok=True)
        # The folder may not have been as empty as was said.
        if not path.parent.resolve().is_relative_to(folder.resolve()):
            raise Damaged(
                "zip.path", "it would be written outside the folder, through a link", where=printable(entry.name)
            )
        if entry.is_link:
            links[entry.name] = check_link(entry.name, b"".join(content).decode("utf-8", "replace"))
        else:
            # "x": a name that comes twice is refused rather than written through what came first.
            with path.open("xb") as out:
                for piece in content:
                    out.write(piece)
            path.chmod(0o755 if entry.executable else 0o644)
        written.append(entry.name)
    # Last, once all are known: until then nothing in the folder leads anywhere.
    for name in leading_out(links):
        raise Damaged("link.chain", "this link leads out of the folder, or in a circle", where=printable(name))
    for name, target in links.items():
        if os.path.lexists(folder / name):
            raise Damaged(
                "zip.path", "it is a link, and something else lies at its place or below it", where=printable(name)
            )
        (folder / name).symlink_to(target)
    return written
