"""Provided libraries: the shared libraries that programs name in their headers, and that nothing brings.

ELF: System V gABI, chapter 5 (DT_NEEDED). PE: Microsoft PE/COFF, section 6.4 (import directory). Mach-O: LC_LOAD_DYLIB.
Headers are hostile: whatever does not fit gives no names.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from rampa.core import parallel
from rampa.core.content.select.selection import Selection
from rampa.core.content.tree.chosen_files import Selected
from rampa.core.platform.provided_libraries import provided

MOST = 2000
NAME_LIMIT = 300


@dataclass(frozen=True, slots=True)
class Lacking:
    """`path` needs `name`, which neither the build nor the platform has."""

    path: str
    name: str


def lacking(selection: Selection, platform: str, also: tuple[str, ...] = ()) -> list[Lacking]:
    """What the programs of a selection need and nobody brings, sorted."""
    has = {_folded(platform, path.rpartition("/")[2]) for path in selection.files.paths}
    has |= {_folded(platform, path.rpartition("/")[2]) for path, _ in selection.links}
    out = []
    with parallel.pool() as threads:
        for file, names in parallel.in_order(
            threads, lambda f: (f, _needs(selection.root, f)), selection.files, ahead=256
        ):
            out += [
                Lacking(file.path, n)
                for n in names
                if _folded(platform, n.rpartition("/")[2]) not in has and not provided(platform, n, also)
            ]
    return sorted(set(out), key=lambda x: (x.path, x.name))


def _folded(platform: str, name: str) -> str:
    return name.lower() if platform == "windows" else name


def _needs(root: Path, file: Selected) -> list[str]:
    return needed(root / file.disk) if file.size >= 64 else []


def needed(path: Path) -> list[str]:
    """The libraries that a program names; none for what is not a program."""
    try:
        fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError:
        return []
    try:
        head = os.pread(fd, 4096, 0)
        if head[:6] == b"\x7fELF\x02\x01":
            return list(_elf(fd, head))
        if head[:2] == b"MZ":
            return list(_pe(fd, head))
        if head[:4] == b"\xcf\xfa\xed\xfe":
            return list(_macho(fd, head))
        return []
    except (OSError, struct.error, ValueError):
        return []
    finally:
        os.close(fd)


def _text(data: bytes, at: int) -> str:
    end = data.find(b"\0", at, at + NAME_LIMIT)
    return data[at:end].decode("utf-8", "replace") if end >= 0 else ""


def _elf(fd: int, head: bytes) -> Iterable[str]:
    (table,) = struct.unpack_from("<Q", head, 32)
    size, count = struct.unpack_from("<HH", head, 54)
    if size != 56 or count > MOST:
        return
    raw = os.pread(fd, size * count, table)
    headers = [struct.unpack_from("<IIQQQQ", raw, i * size) for i in range(len(raw) // size)]
    loads = [(h[3], h[2], h[5]) for h in headers if h[0] == 1]
    dynamic = next(((h[2], h[5]) for h in headers if h[0] == 2), None)
    if dynamic is None:
        return
    data = os.pread(fd, min(dynamic[1], 16 * MOST), dynamic[0])
    tags = [struct.unpack_from("<QQ", data, i) for i in range(0, len(data) - 15, 16)]
    texts_at = next((_offset(loads, value) for tag, value in tags if tag == 5), None)
    texts_size = next((value for tag, value in tags if tag == 10), 0)
    if texts_at is None:
        return
    texts = os.pread(fd, min(texts_size, 1 << 24), texts_at)
    for tag, value in tags:
        if tag == 1 and value < len(texts):
            yield _text(texts, value)


def _offset(loads: list[tuple[int, int, int]], address: int) -> int | None:
    return next((address - va + off for va, off, size in loads if va <= address < va + size), None)


def _pe(fd: int, head: bytes) -> Iterable[str]:
    (at,) = struct.unpack_from("<I", head, 60)
    if head[at : at + 4] != b"PE\0\0":
        return
    (sections,) = struct.unpack_from("<H", head, at + 6)
    (optional,) = struct.unpack_from("<H", head, at + 20)
    (magic,) = struct.unpack_from("<H", head, at + 24)
    directory = at + 24 + (112 if magic == 0x20B else 96) + 8
    imports, _ = struct.unpack_from("<II", head, directory)
    raw = os.pread(fd, 40 * min(sections, MOST), at + 24 + optional)
    rows = [struct.unpack_from("<IIII", raw, i * 40 + 8) for i in range(len(raw) // 40)]

    def place(rva: int) -> int | None:
        return next((rva - va + off for _, va, size, off in rows if va <= rva < va + size), None)

    start = place(imports) if imports else None
    for i in range(MOST):
        if start is None:
            return
        row = os.pread(fd, 20, start + 20 * i)
        if len(row) < 20 or row == bytes(20):
            return
        name_at = place(struct.unpack_from("<I", row, 12)[0])
        if name_at is not None:
            yield _text(os.pread(fd, NAME_LIMIT, name_at) + b"\0", 0)


def _macho(fd: int, head: bytes) -> Iterable[str]:
    count, size = struct.unpack_from("<II", head, 16)
    commands = os.pread(fd, min(size, 1 << 20), 32)
    at = 0
    for _ in range(min(count, MOST)):
        kind, length = struct.unpack_from("<II", commands, at)
        if length < 8:
            return
        if kind == 0xC:  # weak ones (0x80000018) may be missing
            (name,) = struct.unpack_from("<I", commands, at + 8)
            yield _text(commands[at : at + length] + b"\0", name)
        at += length
