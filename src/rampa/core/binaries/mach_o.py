"""Mach-O (Apple, "OS X ABI Mach-O File Format Reference"), 64-bit little-endian: machine, segments, libraries that it names."""

from __future__ import annotations

import struct
from collections.abc import Iterator

from rampa.core.binaries.read_at import ReadAt, text_at

MAGIC = b"\xcf\xfa\xed\xfe"
MACHINES = {0x01000007: "x86_64", 0x0100000C: "arm64"}
LOAD_DYLIB = 0xC
"""Weak ones (0x80000018) may be missing."""
SEGMENT_64, EXECUTE = 0x19, 4
MOST_COMMANDS = 2000
MOST_BYTES = 1 << 20


class MachO:
    """Made by `read_mach_o`. `machine` is empty for a processor that is not known here."""

    def __init__(self, read: ReadAt) -> None:
        self._read = read
        self._head = read(0, 32)
        (number,) = struct.unpack_from("<I", self._head, 4)
        self.machine = MACHINES.get(number, "")

    def libraries(self) -> Iterator[str]:
        for kind, command in self._commands():
            if kind == LOAD_DYLIB:
                (name,) = struct.unpack_from("<I", command, 8)
                yield text_at(command + b"\0", name)

    def code(self) -> Iterator[tuple[int, int]]:
        """(offset, size) in bytes of the file of each segment that is loaded to be executed."""
        for kind, command in self._commands():
            if kind == SEGMENT_64:
                offset, size, _, protection = struct.unpack_from("<QQII", command, 40)
                if size and protection & EXECUTE:
                    yield offset, size

    def _commands(self) -> Iterator[tuple[int, bytes]]:
        count, size = struct.unpack_from("<II", self._head, 16)
        commands, at = self._read(32, min(size, MOST_BYTES)), 0
        for _ in range(min(count, MOST_COMMANDS)):
            kind, length = struct.unpack_from("<II", commands, at)
            # A command that is shorter than its own head would never let the walk go on.
            if length < 8:
                return
            yield kind, commands[at : at + length]
            at += length


def read_mach_o(read: ReadAt) -> MachO | None:
    """From the header alone; None when it is no such file."""
    try:
        return MachO(read) if read(0, 4) == MAGIC else None
    except struct.error:
        return None
