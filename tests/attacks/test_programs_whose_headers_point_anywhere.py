"""Programs whose headers name places and lengths that no file has: offsets above 2**63 ended in an overflow, and a table of
ten thousand rows of 64 kB had 655 MB of room made for it."""

from __future__ import annotations

import os
import struct
import tracemalloc
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.binaries.elf import read_elf, whole_elf
from rampa.core.binaries.program import needed
from rampa.core.binaries.read_at import of_bytes, of_descriptor
from rampa.core.content.select.file_traits import look
from tests.core.binaries import samples

PROGRAM = samples.elf(needed=("libfog.so",), build_id=b"\x19\x07")
HIGH = (2**63 - 1, 2**63, 2**64 - 1)


@pytest.fixture(scope="module")
def path(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("programs") / "peatlight"


def told(path: Path, data: bytes) -> tuple[object, object]:
    """What the readers say of a file on the disk; the same as of its bytes in memory."""
    path.write_bytes(data)
    fd = os.open(path, os.O_RDONLY)
    try:
        elf, libraries = whole_elf(of_descriptor(fd)), needed(of_descriptor(fd))
    finally:
        os.close(fd)
    other = whole_elf(of_bytes(data))
    assert libraries == needed(of_bytes(data))
    assert (elf is None) == (other is None)
    look(path)
    return elf, libraries


@pytest.mark.parametrize("high", HIGH)
@pytest.mark.parametrize(("table", "count"), [(32, 56), (40, 60)])
def test_tables_above_what_a_file_can_have(table: int, count: int, high: int, path: Path) -> None:
    data = bytearray(PROGRAM)
    struct.pack_into("<Q", data, table, high)
    struct.pack_into("<HH", data, count - 2, 64, 3)
    assert told(path, bytes(data))[0] is None


@pytest.mark.parametrize("high", HIGH)
@pytest.mark.parametrize("field", [8, 16, 32, 40, 48])
def test_segments_above_what_a_file_can_have(field: int, high: int, path: Path) -> None:
    elf = read_elf(of_bytes(PROGRAM))
    assert elf
    start = struct.unpack_from("<Q", PROGRAM, 32)[0]
    for n in range(len(elf.segments)):
        data = bytearray(PROGRAM)
        data[start + 56 * n + field : start + 56 * n + field + 8] = struct.pack("<Q", high)
        told(path, bytes(data))


def test_a_table_of_long_rows_takes_no_more_than_the_file(path: Path) -> None:
    data = bytearray(PROGRAM)
    struct.pack_into("<HH", data, 54, 65_535, 10_000)
    tracemalloc.start()
    try:
        assert told(path, bytes(data))[0] is None
        assert tracemalloc.get_traced_memory()[1] < 10 * 1024 * 1024
    finally:
        tracemalloc.stop()


@given(st.lists(st.tuples(st.integers(0, len(PROGRAM) - 8), st.sampled_from([*HIGH, 0, 1, 2**31, 2**32])), max_size=4))
def test_wherever_they_point(path: Path, changes: list[tuple[int, int]]) -> None:
    data = bytearray(PROGRAM)
    for at, value in changes:
        data[at : at + 8] = struct.pack("<Q", value)
    told(path, bytes(data))
