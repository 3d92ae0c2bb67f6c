"""The strict reader: what it takes from others, and every trick that it refuses."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.bundle import zip_structure as z
from rampa.core.bundle.sources import BytesSource, FileBytes
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.bundle.zip_structure import Entry
from rampa.core.bundle.zip_writer import Member, write_zip
from rampa.core.errors import Damaged
from tests.samples import noise, words

CONTENTS = {"bin/peatlight": b"#!/bin/sh\n", "data/fog.bin": noise(5_000), "\u00e4lder.txt": words(3_000), "empty": b""}


def made(**more: object) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, **more) as bundle:  # type: ignore[call-overload]
        for name, data in CONTENTS.items():
            bundle.writestr(name, data)
    return out.getvalue()


def contents(data: bytes) -> dict[str, bytes]:
    archive = read_zip(BytesSource(data))
    return {e.name: archive.read(e.name) for e in archive.entries if not e.is_folder}


class Unseekable(io.BytesIO):
    def seek(self, *_: object) -> int:
        raise OSError

    def seekable(self) -> bool:
        return False

    def tell(self) -> int:
        raise OSError


def test_what_others_write_is_read() -> None:
    assert contents(made()) == CONTENTS
    streamed = Unseekable()
    with zipfile.ZipFile(streamed, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in CONTENTS.items():
            bundle.writestr(name, data)
    assert contents(streamed.getvalue()) == CONTENTS, "data descriptors"
    wide = io.BytesIO()
    with zipfile.ZipFile(wide, "w") as bundle:
        for name, data in CONTENTS.items():
            with bundle.open(name, "w", force_zip64=True) as entry:
                entry.write(data)
        bundle.comment = b"night shift"
    assert contents(wide.getvalue()) == CONTENTS, "ZIP64 and a comment"
    assert read_zip(BytesSource(wide.getvalue())).comment == b"night shift"


def test_a_sparse_entry_of_5_gb(tmp_path: Path) -> None:
    """The file is made by hand with a hole in it: nobody waits for five gigabytes."""
    size = 5_000_000_000
    entry = Entry("sparse", b"sparse", 0, 0, 0, size, size, 0, 0o100644)
    with (tmp_path / "o.zip").open("wb") as out:
        start = out.write(z.local_header(entry)) + size
        out.seek(start)
        out.write(z.central_header(entry))
        out.write(z.end_records(1, start, out.tell() - start))
    with FileBytes(tmp_path / "o.zip") as source:
        (found,) = read_zip(source).entries
        assert found.size == found.stored == size
    with zipfile.ZipFile(tmp_path / "o.zip") as bundle:
        assert bundle.getinfo("sparse").file_size == size


def test_70000_entries(tmp_path: Path) -> None:
    members = [Member(f"t/{i:05d}", b"fog", 3) for i in range(70_000)]
    with (tmp_path / "o.zip").open("w+b") as out:
        write_zip(out, members)
    with FileBytes(tmp_path / "o.zip") as source:
        assert len(read_zip(source).entries) == 70_000


def central(data: bytes) -> int:
    return data.index(b"PK\1\2")


def put(data: bytes, at: int, what: bytes) -> bytes:
    return data[:at] + what + data[at + len(what) :]


def two_entries_at_one_place(data: bytes) -> bytes:
    second = data.index(b"PK\1\2", central(data) + 4)
    return put(data, second + 42, data[central(data) + 42 : central(data) + 46])


def with_second_end(data: bytes) -> bytes:
    end = data.rindex(b"PK\5\6")
    fake = data[end:]
    return put(data, end + 20, struct.pack("<H", len(fake))) + fake


def named(name: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as bundle:
        info = zipfile.ZipInfo("x" * len(name))
        bundle.writestr(info, b"fog")
    return out.getvalue().replace(b"x" * len(name), name.encode())


def twice() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as bundle:
        bundle.writestr("aaa", b"one")
        bundle.writestr("bbb", b"two")
    return out.getvalue().replace(b"bbb", b"aaa")


TRICKS: dict[str, tuple[Callable[[], bytes], str]] = {
    "trailing garbage": (lambda: made() + b"x", "bytes follow the end record"),
    "cut off": (lambda: made()[:-30], "not a ZIP file, or its end is missing|bytes follow"),
    "no archive": (lambda: b"fog" * 100, "not a ZIP file"),
    "prefix": (lambda: _shifted(b"MZ stub "), "bytes that are no ZIP entry lie before"),
    "another local name": (lambda: put(made(), 30, b"BIN"), "local header has another name"),
    "another local size": (lambda: put(made(), 22, b"\1\2\3\4"), "gives other sizes"),
    "another checksum": (
        lambda: put(put(made(), 14, b"\1\2\3\4"), central(made()) + 16, b"\1\2\3\4"),
        "does not have the checksum",
    ),
    "local method": (lambda: put(made(), 8, b"\0\0"), "another way of packing"),
    "encrypted": (lambda: put(made(), central(made()) + 8, b"\1\0"), "it is encrypted"),
    "method": (lambda: put(made(), central(made()) + 10, b"\x0e\0"), "packed by method 14"),
    "ratio": (lambda: put(made(), central(made()) + 24, struct.pack("<I", 90_000_000)), "deflate packs at most"),
    "overlap": (lambda: two_entries_at_one_place(made()), "has another name|lies over"),
    "second end record": (lambda: with_second_end(made()), "second end record"),
    "escape": (lambda: named("../../etc/x"), "leads out of the folder"),
    "absolute": (lambda: named("/etc/passwd"), "it is absolute"),
    "backslash": (lambda: named("..\\evil"), "backslash"),
    "duplicate": (twice, "it is there twice"),
    "local beyond": (lambda: put(made(), central(made()) + 42, struct.pack("<I", 2**31)), "lies outside|lies over"),
    "directory moved": (lambda: put(made(), len(made()) - 6, b"\0\0\0\0"), "the directory ends at"),
    "deflate cut": (lambda: _spoiled(), "packed content|come out of it|checksum"),
}


def _shifted(prefix: bytes) -> bytes:
    """Offsets corrected, as a self-unpacking program has them."""
    out = io.BytesIO()
    out.write(prefix)
    with zipfile.ZipFile(out, "a") as bundle:
        bundle.writestr("fog", b"fog")
    return out.getvalue()


def _spoiled() -> bytes:
    data = made()
    return put(data, data.index(b"data/fog.bin") + 40, b"\xff" * 30)


@pytest.mark.parametrize("name", TRICKS)
def test_tricks_are_refused_with_the_reason(name: str) -> None:
    make, says = TRICKS[name]
    with pytest.raises(Damaged, match=says):
        contents(make())


GOOD = made()


@settings(max_examples=300, deadline=None)
@given(st.lists(st.tuples(st.integers(0, len(GOOD) - 1), st.integers(0, 255)), max_size=6), st.integers(0, len(GOOD)))
def test_any_damage_is_our_error_or_the_same_content(changes: list[tuple[int, int]], end: int) -> None:
    data = bytearray(GOOD)
    for at, value in changes:
        data[at] = value
    try:
        found = contents(bytes(data[: end or None] if end else data))
    except Damaged:
        return
    assert all(zlib.crc32(b) in {zlib.crc32(c) for c in CONTENTS.values()} for b in found.values())
