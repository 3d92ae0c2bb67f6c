"""Addresses of a native binary as functions and lines, by the symbols that were split off it (DWARF 5, chapters 2, 3 and 6).

An address in code that was inlined is several places, the innermost first: where it stands, then where that was called from.
Read with pyelftools. Debug information comes from machines that others hold: call this in a process that can be ended.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any, cast

from elftools.common.exceptions import DWARFError, ELFError
from elftools.dwarf.compileunit import CompileUnit
from elftools.dwarf.descriptions import describe_form_class
from elftools.dwarf.die import DIE
from elftools.dwarf.dwarfinfo import DWARFInfo
from elftools.dwarf.ranges import BaseAddressEntry
from elftools.elf.elffile import ELFFile
from elftools.elf.sections import SymbolTableSection

FUNCTION, INLINED = "DW_TAG_subprogram", "DW_TAG_inlined_subroutine"
MOST_NAME, MOST_FILE = 200, 300
MOST_DEPTH = 32
DAMAGED = (
    ELFError, DWARFError, struct.error, zlib.error, LookupError, ValueError, TypeError, AttributeError, AssertionError,
    ArithmeticError, RecursionError, MemoryError, OSError,
)  # fmt: skip
"""What pyelftools raises for bytes that are no debug information; it has no error of its own for most of them."""


@dataclass(frozen=True, slots=True)
class Place:
    """A function and where it stands. `line` 0 and an empty `file`: not told."""

    function: str
    file: str = ""
    line: int = 0


Span = tuple[int, int]
"""From, and up to but without."""


def places(path: Path, addresses: Iterable[int]) -> dict[int, tuple[Place, ...]]:
    """`addresses` as in the file's own segments. What has no symbols is left out; so is everything of a damaged file."""
    wanted = sorted(set(addresses))
    try:
        with path.open("rb") as stream:
            elf = ELFFile(stream)
            found = _by_dwarf(elf, wanted) if elf.has_dwarf_info() else {}
            return _by_table(elf, [a for a in wanted if a not in found]) | found
    except DAMAGED:
        return {}


def addresses_of(path: Path, file: str, line: int) -> list[int]:
    """Where the code of a line begins, lowest first; `file` as `places` says it. Empty for what is not there."""
    found: set[int] = set()
    try:
        with path.open("rb") as stream:
            elf = ELFFile(stream)
            info = elf.get_dwarf_info(relocate_dwarf_sections=False, follow_links=False)
            for unit in info.iter_CUs() if elf.has_dwarf_info() else ():
                files = _files(info, unit)
                states = [s for s in _states(info, unit) if not s.end_sequence]
                found |= {s.address for s in states if s.line == line and files.get(s.file) == file}
    except DAMAGED:
        return []
    return sorted(found)


def _by_dwarf(elf: ELFFile, wanted: list[int]) -> dict[int, tuple[Place, ...]]:
    info = elf.get_dwarf_info(relocate_dwarf_sections=False, follow_links=False)
    found: dict[int, tuple[Place, ...]] = {}
    for unit in info.iter_CUs():
        left = [a for a in wanted if a not in found]
        if not left:
            break
        spans = _spans(info, unit.get_top_DIE())
        here = [a for a in left if not spans or _holds(spans, a)]
        if here:
            found.update(_in_unit(info, unit, here))
    return found


def _in_unit(info: DWARFInfo, unit: CompileUnit, addresses: list[int]) -> Iterator[tuple[int, tuple[Place, ...]]]:
    files = _files(info, unit)
    lines = _lines(info, unit, addresses)
    for address in addresses:
        chain = _chain(info, unit.get_top_DIE(), address)
        if chain:
            yield address, _places(info, chain, files, lines.get(address, ("", 0)))


def _chain(info: DWARFInfo, top: DIE, address: int) -> list[DIE]:
    """The function that holds the address, then what is inlined in it, outermost first."""
    chain: list[DIE] = []
    level = top
    for _ in range(MOST_DEPTH):
        inner = next((d for d in _functions(level) if _holds(_spans(info, d), address)), None)
        if inner is None:
            return chain
        chain.append(inner)
        level = inner
    return chain


def _functions(die: DIE) -> Iterator[DIE]:
    """The next functions below, also through blocks, namespaces and types."""
    for child in die.iter_children():
        if child.tag in (FUNCTION, INLINED):
            yield child
        elif child.has_children:
            yield from _functions(child)


def _places(
    info: DWARFInfo, chain: list[DIE], files: Mapping[int, str], innermost: tuple[str, int]
) -> tuple[Place, ...]:
    found, (file, line) = [], innermost
    for die in reversed(chain):
        found.append(Place(_name(die)[:MOST_NAME], file[-MOST_FILE:], line))
        # What is inlined says where it was called from: that is the line of the function around it.
        file, line = files.get(_number(die, "DW_AT_call_file"), ""), _number(die, "DW_AT_call_line")
    return tuple(found)


def _name(die: DIE) -> str:
    for _ in range(MOST_DEPTH):
        name = die.attributes.get("DW_AT_name")
        if name is not None:
            return str(name.value.decode("utf-8", "replace"))
        more = next((a for a in ("DW_AT_abstract_origin", "DW_AT_specification") if a in die.attributes), None)
        if more is None:
            break
        die = die.get_DIE_from_attribute(more)
    return "?"


def _number(die: DIE, name: str) -> int:
    found = die.attributes.get(name)
    return found.value if found is not None and isinstance(found.value, int) else 0


def _spans(info: DWARFInfo, die: DIE) -> list[Span]:
    low, high = die.attributes.get("DW_AT_low_pc"), die.attributes.get("DW_AT_high_pc")
    if low is not None and high is not None:
        # An offset from the first address, or an address of its own (DWARF 5, section 2.17.2).
        relative = describe_form_class(high.form) == "constant"
        return [(low.value, low.value + high.value if relative else high.value)]
    ranges, lists = die.attributes.get("DW_AT_ranges"), info.range_lists()
    if ranges is None or lists is None:
        return []
    base = die.cu.get_top_DIE().attributes.get("DW_AT_low_pc")
    return list(
        _listed(lists.get_range_list_at_offset(ranges.value, cast(CompileUnit, die.cu)), base.value if base else 0)
    )


def _listed(entries: Iterable[Any], base: int) -> Iterator[Span]:
    for entry in entries:
        if isinstance(entry, BaseAddressEntry):
            base = entry.base_address
        else:
            begin = 0 if getattr(entry, "is_absolute", False) else base
            yield entry.begin_offset + begin, entry.end_offset + begin


def _holds(spans: list[Span], address: int) -> bool:
    return any(low <= address < high for low, high in spans)


def _files(info: DWARFInfo, unit: CompileUnit) -> dict[int, str]:
    """Number -> path as the compiler was given it. Files count from 1 up to version 4 and from 0 after it (section 6.2.4)."""
    program = info.line_program_for_CU(unit)
    if program is None:
        return {}
    new, header = program.header.version >= 5, program.header
    folders = [d.decode("utf-8", "replace") for d in header.include_directory]
    # Before version 5 the unit's own folder has the number 0, and is not in the list.
    folders = folders if new else ["", *folders]
    found = {}
    for number, entry in enumerate(header.file_entry, 0 if new else 1):
        name = entry.name.decode("utf-8", "replace")
        folder = folders[entry.dir_index] if 0 <= entry.dir_index < len(folders) else ""
        # The folder it was compiled in is the same for all, and says where somebody's work lay.
        found[number] = name if entry.dir_index == 0 else str(PurePosixPath(folder) / name)
    return found


def _states(info: DWARFInfo, unit: CompileUnit) -> Iterator[Any]:
    """The rows of the unit's line program (section 6.2.5)."""
    program = info.line_program_for_CU(unit)
    entries = program.get_entries() if program is not None else ()
    return (entry.state for entry in entries if entry.state is not None)


def _lines(info: DWARFInfo, unit: CompileUnit, addresses: list[int]) -> dict[int, tuple[str, int]]:
    """Address -> (file, line) by the unit's line program."""
    files, found = _files(info, unit), {}
    before = None
    for state in _states(info, unit):
        if before is not None and not before.end_sequence:
            for address in addresses:
                if before.address <= address < state.address:
                    found[address] = (files.get(before.file, ""), before.line)
        before = state
    return found


def _by_table(elf: ELFFile, wanted: list[int]) -> dict[int, tuple[Place, ...]]:
    """Names alone, from the symbol table (gABI, chapter 4, Symbol Table)."""
    found: dict[int, tuple[Place, ...]] = {}
    for section in elf.iter_sections():
        if not wanted or not isinstance(section, SymbolTableSection):
            continue
        for symbol in section.iter_symbols():
            low, size = symbol["st_value"], symbol["st_size"]
            if symbol["st_info"]["type"] == "STT_FUNC" and size:
                found.update({a: (Place(symbol.name[:MOST_NAME]),) for a in wanted if low <= a < low + size})
    return found
