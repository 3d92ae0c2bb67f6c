"""A program of whatever format: what it is for, and the libraries that it names."""

from __future__ import annotations

import struct
from typing import NamedTuple

from rampa.core.binaries.elf import Elf, read_elf
from rampa.core.binaries.mach_o import MachO, read_mach_o
from rampa.core.binaries.pe import Pe, read_pe
from rampa.core.binaries.read_at import ReadAt


class Format(NamedTuple):
    """A format's name and the platform whose programs have it."""

    name: str
    platform: str


FORMATS: dict[type[Elf | Pe | MachO], Format] = {
    Elf: Format("ELF", "linux"),
    Pe: Format("PE", "windows"),
    MachO: Format("Mach-O", "macos"),
}


def read_program(read: ReadAt) -> Elf | Pe | MachO | None:
    """None for what is no program."""
    return read_elf(read) or read_pe(read) or read_mach_o(read)


def needed(read: ReadAt) -> list[str]:
    """The libraries that a program names; none for what is no program, or a damaged one."""
    program = read_program(read)
    try:
        match program:
            case Elf():
                return list(program.needed())
            case Pe():
                return list(program.imports())
            case MachO():
                return list(program.libraries())
            case None:
                return []
    except (OSError, struct.error, ValueError, OverflowError):
        return []
