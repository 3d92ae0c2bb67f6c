"""Where a program has code, and tables whose rows say where something is: ELF, PE, Mach-O. Whoever is not sure says nothing."""

from __future__ import annotations

import itertools
import struct
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from rampa.core.binaries import segments
from rampa.core.binaries.elf import read_elf
from rampa.core.binaries.mach_o import read_mach_o
from rampa.core.binaries.pe import UNWINDING, read_pe
from rampa.core.binaries.read_at import ReadAt, of_bytes
from rampa.core.content.pack.program_tables import FRAMES, PAIRS, RELOCATIONS, TRIPLES

CODE = 0
RELA = 4
"""A kind of section, SHT_RELA; rows of 24 bytes in files of 64 bits."""
FRAME_HEAD = 12
"""Bytes before the pairs of .eh_frame_hdr, where they have four bytes each, as linkers make them."""
LEAST = 512
"""Smaller tables are not worth a run."""
MOST = 64
"""Tables that are taken of one program: no linker makes nearly as many."""


@dataclass(frozen=True, slots=True, order=True)
class Stretch:
    """Bytes of the file from `first` up to `last`; `what`: code, or the kind of a table."""

    first: int
    last: int
    what: int


def stretches_of(head: bytes, read: ReadAt | None) -> tuple[int, tuple[Stretch, ...]] | None:
    """(its processor, as segments count; where they lie, ascending, apart), or None for no program with code. `read` reads all of
    the file: without it no tables are found."""
    image = segments.read_image(head)
    if image is None:
        return _mach_o(head)
    code = [Stretch(s.offset, s.offset + s.size, CODE) for s in image.segments if s.kind == segments.CODE]
    if not code:
        return None
    tables = _apart(_tables(read)) if read else []
    return image.machine, tuple(sorted([*tables, *_without(code, tables)]))


def _mach_o(head: bytes) -> tuple[int, tuple[Stretch, ...]] | None:
    # For the filter alone: how addresses move between two releases was never tried on these.
    program = read_mach_o(of_bytes(head))
    if program is None or program.machine not in segments.PROCESSORS:
        return None
    code = sorted(Stretch(offset, offset + size, CODE) for offset, size in program.code())
    apart = all(a.last <= b.first for a, b in itertools.pairwise(code))
    if not code or not apart or code[-1].last >= segments.HIGHEST:
        return None
    return segments.PROCESSORS[program.machine], tuple(code)


def _tables(read: ReadAt) -> list[Stretch]:
    try:
        return [*_of_elf(read), *_of_pe(read)]
    except (struct.error, IndexError, ValueError, OverflowError):
        return []


def _of_elf(read: ReadAt) -> Iterator[Stretch]:
    elf = read_elf(read)
    for section in elf.sections if elf and elf.wide and elf.little else ():
        end = section.offset + section.size
        if section.kind == RELA:
            yield Stretch(section.offset, end, RELOCATIONS)
        elif section.name == ".eh_frame":
            yield Stretch(section.offset, end, FRAMES)
        elif section.name == ".eh_frame_hdr":
            yield Stretch(section.offset + FRAME_HEAD, end, PAIRS)


def _of_pe(read: ReadAt) -> Iterator[Stretch]:
    pe = read_pe(read)
    found = pe.directory(UNWINDING) if pe and pe.wide else None
    if pe and found:
        yield Stretch(found[0], sum(found), TRIPLES if pe.machine == "x86_64" else PAIRS)


def _apart(tables: Iterable[Stretch]) -> list[Stretch]:
    """Sections that overlap are no linker's: the first is taken."""
    out: list[Stretch] = []
    for table in sorted(t for t in tables if t.first >= 0 and t.last - t.first >= LEAST and t.last < segments.HIGHEST):
        if not out or out[-1].last <= table.first:
            out.append(table)
    return out[:MOST]


def _without(code: Iterable[Stretch], tables: Iterable[Stretch]) -> Iterator[Stretch]:
    """Older linkers put tables and code into one segment."""
    for stretch in code:
        at = stretch.first
        for table in tables:
            if at < table.last and table.first < stretch.last:
                if at < table.first:
                    yield Stretch(at, table.first, CODE)
                at = table.last
        if at < stretch.last:
            yield Stretch(at, stretch.last, CODE)
