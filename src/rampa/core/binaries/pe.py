"""PE (Microsoft PE/COFF, sections 2 to 6): machine, sections, where the image is loaded, the libraries that it names."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from rampa.core.binaries.read_at import NAME_LIMIT, ReadAt, text_at

MAGIC = b"MZ"
MACHINES = {0x14C: "x86", 0x8664: "x86_64", 0xAA64: "arm64"}
EXECUTABLE = 0x20000000
IMPORTS, UNWINDING = 1, 3
"""Places among the directories (section 4.7.2: import table, exception table, which is that of functions)."""
MOST = 2000
"""Sections, and libraries, that are read at most."""


@dataclass(frozen=True, slots=True)
class PeSection:
    """`size` and `address` in the image, `in_file` and `offset` in the file; bytes."""

    name: str
    size: int
    address: int
    in_file: int
    offset: int
    flags: int


class Pe:
    """Made by `read_pe`. `machine` is empty for a processor that is not known here."""

    def __init__(self, read: ReadAt, at: int) -> None:
        self._read, self._at = read, at
        self._head = read(at, 24)
        (number,) = struct.unpack_from("<H", self._head, 4)
        self.machine = MACHINES.get(number, "")

    @cached_property
    def _sizes(self) -> tuple[int, int]:
        """(sections, bytes of the optional header)."""
        return struct.unpack_from("<H", self._head, 6)[0], struct.unpack_from("<H", self._head, 20)[0]

    @cached_property
    def _options(self) -> bytes:
        return self._read(self._at + 24, self._sizes[1])

    @property
    def wide(self) -> bool:
        """A PE32+ file."""
        return self._options[:2] == b"\x0b\x02"

    @property
    def base(self) -> int:
        """The address that the image wants to be loaded at."""
        layout, at = ("<Q", 24) if self.wide else ("<I", 28)
        return int(struct.unpack_from(layout, self._options, at)[0])

    @property
    def memory(self) -> int:
        """Bytes of the image once it is loaded."""
        return int(struct.unpack_from("<I", self._options, 56)[0])

    @cached_property
    def sections(self) -> tuple[PeSection, ...]:
        count, optional = self._sizes
        if count > MOST:
            raise ValueError("more sections than a loader takes")
        data = self._read(self._at + 24 + optional, 40 * count)
        return tuple(self._section(data[i : i + 40]) for i in range(0, len(data) - 39, 40))

    def directory(self, number: int) -> tuple[int, int] | None:
        """(offset in the file, bytes) of one of the optional header's directories; None where there is none."""
        # A table may end before it: files say themselves how many directories they have.
        there = self._directory_at(number) + 8 <= len(self._options)
        address, size = self._directory(number) if there else (0, 0)
        place = self._place(address) if address and size else None
        return None if place is None else (place, size)

    def _directory(self, number: int) -> tuple[int, int]:
        """(address relative to the image's base, bytes)."""
        address, size = struct.unpack_from("<II", self._options, self._directory_at(number))
        return address, size

    def _directory_at(self, number: int) -> int:
        return (112 if self.wide else 96) + 8 * number

    def imports(self) -> Iterator[str]:
        """The libraries of the import directory (section 6.4)."""
        directory, _ = self._directory(IMPORTS)
        start = self._place(directory) if directory else None
        for i in range(MOST if start is not None else 0):
            row = self._read((start or 0) + 20 * i, 20)
            # The directory ends with a row of zeros; where that is missing, with the file.
            if len(row) < 20 or row == bytes(20):
                return
            name = self._place(struct.unpack_from("<I", row, 12)[0])
            if name is not None:
                yield text_at(self._read(name, NAME_LIMIT) + b"\0", 0)

    def _place(self, address: int) -> int | None:
        """Where an address relative to the image's base lies in the file."""
        found = (s for s in self.sections if s.address <= address < s.address + s.in_file)
        return next((address - s.address + s.offset for s in found), None)

    @staticmethod
    def _section(row: bytes) -> PeSection:
        size, address, in_file, offset = struct.unpack_from("<IIII", row, 8)
        (flags,) = struct.unpack_from("<I", row, 36)
        # Names fill eight bytes; a table of longer ones belongs to object files, not to images.
        return PeSection(row[:8].rstrip(b"\0").decode("latin-1"), size, address, in_file, offset, flags)


def read_pe(read: ReadAt) -> Pe | None:
    """From the headers alone; None when it is no PE file."""
    try:
        head = read(0, 64)
        if head[:2] != MAGIC:
            return None
        (at,) = struct.unpack_from("<I", head, 60)
        return Pe(read, at) if read(at, 4) == b"PE\0\0" else None
    except (struct.error, IndexError):
        return None
