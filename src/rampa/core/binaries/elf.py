"""ELF (System V gABI, chapters 4 and 5): machine, segments, sections, build id, the libraries that it names.

Only the header is read at first; segments and sections when they are asked for. All of it is hostile: counts and sizes are
bounded, and what does not fit raises `ValueError`, which `whole_elf` takes as "no ELF file".
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from rampa.core.binaries.read_at import ReadAt, text_at

MAGIC = b"\x7fELF"
MACHINES = {3: "x86", 40: "arm32", 62: "x86_64", 183: "arm64", 243: "riscv64"}
LOAD, DYNAMIC, NOTE, FRAMES = 1, 2, 4, 0x6474E550
"""Kinds of segments; FRAMES is PT_GNU_EH_FRAME."""
PROGBITS, SYMTAB = 1, 2
"""Kinds of sections."""
EXECUTABLE_SEGMENT, EXECUTABLE_SECTION = 1, 4
BUILD_ID = 3
NEEDED, STRTAB, STRSZ = 1, 5, 10
"""Tags of the dynamic segment."""
MOST_HEADERS = 10_000
MOST_NAMES = 1 << 20
MOST_TEXTS = 1 << 24
MOST_TAGS = 2000


@dataclass(frozen=True, slots=True)
class ElfSegment:
    kind: int
    flags: int
    offset: int
    address: int
    size: int
    memory: int
    alignment: int


@dataclass(frozen=True, slots=True)
class ElfSection:
    name: str
    kind: int
    flags: int
    offset: int
    size: int


class _Tables(NamedTuple):
    """(offset, size of a row, rows) of each table; the section that holds the names."""

    programs: tuple[int, int, int]
    sections: tuple[int, int, int]
    names: int


class Elf:
    """Made by `read_elf`. `machine` is empty for a processor that is not known here."""

    def __init__(self, read: ReadAt) -> None:
        self._read = read
        self._head = read(0, 64)
        self.wide, self._order = self._head[4] == 2, "<" if self._head[5] == 1 else ">"
        (number,) = self._unpack("H", self._head, 18)
        self.machine = MACHINES.get(number, "")
        self.bits = 64 if self.wide else 32

    @cached_property
    def _tables(self) -> _Tables:
        _, programs, sections = self._unpack("QQQ" if self.wide else "III", self._head, 24)
        _, size, count, section_size, section_count, names = self._unpack("HHHHHH", self._head, 52 if self.wide else 40)
        return _Tables((programs, size, count), (sections, section_size, section_count), names)

    @property
    def little(self) -> bool:
        return self._order == "<"

    @cached_property
    def segments(self) -> tuple[ElfSegment, ...]:
        return tuple(self._segment(row) for row in self._rows(*self._tables.programs))

    @cached_property
    def sections(self) -> tuple[ElfSection, ...]:
        layout = "IIQQQQ" if self.wide else "IIIIII"
        rows = self._rows(*self._tables.sections)
        found = [self._unpack(layout, row, 0) for row in rows]
        if not 0 < self._tables.names < len(found):
            return tuple(ElfSection("", kind, flags, offset, size) for _, kind, flags, _, offset, size in found)
        *_, offset, size = found[self._tables.names]
        texts = self._read(offset, min(size, MOST_NAMES))
        return tuple(ElfSection(text_at(texts, at), kind, flags, off, n) for at, kind, flags, _, off, n in found)

    @cached_property
    def alignment(self) -> int:
        """The least of its loaded segments, bytes; 0 where none is loaded."""
        return min((s.alignment for s in self.segments if s.kind == LOAD), default=0)

    @cached_property
    def build_id(self) -> str:
        """Hexadecimal; empty when it has none."""
        return next((b for s in self.segments if s.kind == NOTE and (b := self._build_id(s))), "")

    @property
    def has_symbols(self) -> bool:
        return any(s.kind == SYMTAB for s in self.sections)

    @property
    def has_debug(self) -> bool:
        return any(s.name.startswith((".debug_", ".zdebug_")) for s in self.sections)

    @property
    def has_code(self) -> bool:
        return any(s.kind == PROGBITS and s.flags & EXECUTABLE_SECTION for s in self.sections)

    def needed(self) -> Iterator[str]:
        """The shared libraries that it names (DT_NEEDED)."""
        dynamic = next((s for s in self.segments if s.kind == DYNAMIC), None)
        if dynamic is None:
            return
        width = 16 if self.wide else 8
        data = self._read(dynamic.offset, min(dynamic.size, width * MOST_TAGS))
        tags = [self._unpack("QQ" if self.wide else "II", data, i) for i in range(0, len(data) - width + 1, width)]
        place = next((self._offset(value) for tag, value in tags if tag == STRTAB), None)
        size = next((value for tag, value in tags if tag == STRSZ), 0)
        if place is None:
            return
        texts = self._read(place, min(size, MOST_TEXTS))
        yield from (text_at(texts, value) for tag, value in tags if tag == NEEDED and value < len(texts))

    def _unpack(self, layout: str, data: bytes, at: int) -> tuple[int, ...]:
        return struct.unpack_from(self._order + layout, data, at)

    def _rows(self, table: int, size: int, count: int) -> list[bytes]:
        least = 32 if not self.wide else 56
        # A loader ignores what is behind the table it knows; a count beyond it is a lie, and would make us read for
        # ever.
        if count > MOST_HEADERS or (count and size < least):
            raise ValueError("a table of headers that no loader takes")
        data = self._read(table, size * count)
        if len(data) != size * count:
            raise ValueError("a table of headers outside the file")
        return [data[i * size : (i + 1) * size] for i in range(count)]

    def _segment(self, row: bytes) -> ElfSegment:
        if self.wide:
            kind, flags, offset, address, _, size, memory, alignment = self._unpack("IIQQQQQQ", row, 0)
        else:
            kind, offset, address, _, size, memory, flags, alignment = self._unpack("IIIIIIII", row, 0)
        return ElfSegment(kind, flags, offset, address, size, memory, alignment)

    def _build_id(self, note: ElfSegment) -> str:
        data, at = self._read(note.offset, min(note.size, MOST_NAMES)), 0
        while at + 12 <= len(data):
            name_size, body_size, kind = self._unpack("III", data, at)
            # Names and bodies are padded to four bytes each, also in 64-bit files (gABI, chapter 5, Note Section).
            body = at + 12 + (name_size + 3) // 4 * 4
            if kind == BUILD_ID and data[at + 12 : at + 12 + name_size] == b"GNU\0":
                return data[body : body + body_size].hex()
            at = body + (body_size + 3) // 4 * 4
        return ""

    def _offset(self, address: int) -> int | None:
        """Where an address of the image lies in the file."""
        # An address that two segments hold belongs to the first, as loaders map them in order.
        loads = (s for s in self.segments if s.kind == LOAD)
        return next((address - s.address + s.offset for s in loads if s.address <= address < s.address + s.size), None)


def read_elf(read: ReadAt) -> Elf | None:
    """From the header alone; None when it is no ELF file."""
    try:
        return Elf(read) if read(0, 4) == MAGIC else None
    except (struct.error, IndexError):
        return None


def whole_elf(read: ReadAt) -> Elf | None:
    """With segments and sections read; None also for a damaged file."""
    elf = read_elf(read)
    try:
        return elf if elf and (elf.segments is not None, elf.sections is not None, elf.build_id is not None) else None
    except (struct.error, ValueError, OverflowError, OSError):
        return None
