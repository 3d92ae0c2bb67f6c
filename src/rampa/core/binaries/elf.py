"""What an ELF file says of itself (System V ABI, chapters 4 and 5): machine, alignment, build id, symbols, debug sections."""

from __future__ import annotations

import struct
from dataclasses import dataclass

MAGIC = b"\x7fELF"
LOAD, NOTE = 1, 4
SYMTAB = 2
BUILD_ID = 3
MACHINES = {3: "x86", 40: "arm32", 62: "x86_64", 183: "arm64", 243: "riscv64"}
MAX_HEADERS = 10_000


@dataclass(frozen=True)
class Elf:
    """`alignment` is the least of its loaded segments, bytes; `build_id` hexadecimal, empty when it has none."""

    machine: str
    bits: int
    alignment: int
    build_id: str
    has_symbols: bool
    has_debug: bool


def read_elf(data: bytes) -> Elf | None:
    """From the whole file's bytes; None when it is no ELF file, or a damaged one."""
    try:
        return _read(data) if data[:4] == MAGIC else None
    except (struct.error, IndexError):
        return None


def _read(data: bytes) -> Elf:
    wide, order = data[4] == 2, "<" if data[5] == 1 else ">"
    (machine,) = struct.unpack_from(f"{order}H", data, 18)
    if wide:
        _, program, sections = struct.unpack_from(f"{order}QQQ", data, 24)
        tail = 52
    else:
        _, program, sections = struct.unpack_from(f"{order}III", data, 24)
        tail = 40
    _, program_size, programs, section_size, count, names = struct.unpack_from(f"{order}HHHHHH", data, tail)
    if max(programs, count) > MAX_HEADERS:
        raise struct.error
    headers = [_program(data, order, wide, program + program_size * i) for i in range(programs)]
    found = [_section(data, order, wide, sections + section_size * i) for i in range(count)]
    titles = [_title(data, found, names, s[0]) for s in found]
    return Elf(
        MACHINES.get(machine, f"machine {machine}"),
        64 if wide else 32,
        min((h[3] for h in headers if h[0] == LOAD), default=0),
        next((b for b in (_build_id(data, order, h[1], h[2]) for h in headers if h[0] == NOTE) if b), ""),
        any(s[1] == SYMTAB for s in found),
        any(t.startswith((".debug_", ".zdebug_")) for t in titles),
    )


def _program(data: bytes, order: str, wide: bool, at: int) -> tuple[int, int, int, int]:
    """(kind, offset, size in the file, alignment)."""
    if wide:
        kind, _, offset, _, _, size, _, align = struct.unpack_from(f"{order}IIQQQQQQ", data, at)
    else:
        kind, offset, _, _, size, _, _, align = struct.unpack_from(f"{order}IIIIIIII", data, at)
    return kind, offset, size, align


def _section(data: bytes, order: str, wide: bool, at: int) -> tuple[int, int, int, int]:
    """(name's place, kind, offset, size)."""
    if wide:
        name, kind, _, _, offset, size = struct.unpack_from(f"{order}IIQQQQ", data, at)
    else:
        name, kind, _, _, offset, size = struct.unpack_from(f"{order}IIIIII", data, at)
    return name, kind, offset, size


def _title(data: bytes, sections: list[tuple[int, int, int, int]], names: int, at: int) -> str:
    if not 0 < names < len(sections):
        return ""
    start = sections[names][2] + at
    return data[start : data.find(b"\0", start, start + 100)].decode("latin-1")


def _build_id(data: bytes, order: str, offset: int, size: int) -> str:
    at, end = offset, min(offset + size, len(data))
    while at + 12 <= end:
        name_size, body_size, kind = struct.unpack_from(f"{order}III", data, at)
        body = at + 12 + (name_size + 3) // 4 * 4
        if kind == BUILD_ID and data[at + 12 : at + 12 + name_size] == b"GNU\0":
            return data[body : body + body_size].hex()
        at = body + (body_size + 3) // 4 * 4
    return ""
