"""Columns kept on this machine: what is written is read, and a damaged file is an error, never wrong columns."""

from __future__ import annotations

import struct
from array import array
from pathlib import Path

import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.tree import column_file
from rampa.core.content.tree.column_file import read_columns, write_columns


@given(st.dictionaries(st.text(max_size=5), st.integers(), max_size=3), st.lists(st.binary(max_size=99), max_size=5))
def test_what_is_written_is_read(
    tmp_path_factory: pytest.TempPathFactory, head: dict[str, int], columns: list[bytes]
) -> None:
    path = tmp_path_factory.getbasetemp() / "columns"
    write_columns(path, head, columns)
    assert read_columns(path, len(columns)) == (head, columns)


def test_numbers_are_kept_as_their_bytes(tmp_path: Path) -> None:
    numbers = array("Q", [1, 2**40])
    write_columns(tmp_path / "columns", {"kind": "index"}, [numbers, b""])
    assert read_columns(tmp_path / "columns", 2) == ({"kind": "index"}, [numbers.tobytes(), b""])


def test_a_file_that_ends_early_or_says_too_much_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "columns"
    write_columns(path, {}, [b"moss" * 1000])
    with pytest.raises(EOFError):
        read_columns(path, 2)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    with pytest.raises((EOFError, zstandard.ZstdError)):
        read_columns(path, 1)
    path.write_bytes(zstandard.compress(struct.pack("<Q", 2) + b"{}" + struct.pack("<Q", column_file.MOST + 1)))
    with pytest.raises(ValueError, match="too long"):
        read_columns(path, 1)
