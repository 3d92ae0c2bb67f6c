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
from tests.refusals import refuses
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


@pytest.mark.slow
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


def with_wide_end(data: bytes, **said: int) -> bytes:
    """The same file with a ZIP64 end record and its locator, right unless told otherwise."""
    end = data.rindex(b"PK\5\6")
    _, _, _, _, count, size, start, _ = z.END_RECORD.unpack_from(data, end)
    told = {"length": 44, "disk": 0, "count": count, "size": size, "start": start, "at": end, "disks": 1} | said
    record = z.END64_RECORD.pack(
        z.END64, told["length"], 45, 45, told["disk"], 0, told["count"], told["count"], told["size"], told["start"]
    )
    return data[:end] + record + z.LOCATOR64_RECORD.pack(z.LOCATOR64, 0, told["at"], told["disks"]) + data[end:]


def inside(offset: int, what: bytes) -> Callable[[], bytes]:
    """A bundle whose first directory entry says `what` at `offset`."""
    return lambda: put(made(), central(made()) + offset, what)


def at_end(offset: int, what: bytes) -> Callable[[], bytes]:
    """A bundle whose end record says `what` at `offset`."""
    return lambda: put(made(), made().rindex(b"PK\5\6") + offset, what)


TRICKS: dict[str, tuple[Callable[[], bytes], str, str]] = {
    "trailing garbage": (lambda: made() + b"x", "zip.trailing", "bytes follow the end record"),
    "cut off": (lambda: made()[:-30], "zip.not", "not a ZIP file, or its end is missing"),
    "no archive": (lambda: b"fog" * 100, "zip.not", "not a ZIP file"),
    "prefix": (lambda: _shifted(b"MZ stub "), "zip.prefix", "bytes that are no ZIP entry lie before"),
    "another local name": (lambda: put(made(), 30, b"BIN"), "zip.local", "local header has another name"),
    "another local size": (lambda: put(made(), 22, b"\1\2\3\4"), "zip.local", "gives other sizes"),
    "no local header": (lambda: put(made(), 0, b"KP"), "zip.local", "no local header where"),
    "another checksum": (
        lambda: put(put(made(), 14, b"\1\2\3\4"), central(made()) + 16, b"\1\2\3\4"),
        "zip.checksum",
        "does not have the checksum",
    ),
    "local method": (lambda: put(made(), 8, b"\0\0"), "zip.local", "another way of packing"),
    "encrypted": (inside(8, b"\1\0"), "zip.encrypted", "it is encrypted"),
    "method": (inside(10, b"\x0e\0"), "zip.method", "packed by method 14"),
    "ratio": (inside(24, struct.pack("<I", 90_000_000)), "zip.ratio", "deflate packs at most"),
    "stored with two sizes": (inside(10, b"\0\0"), "zip.size", "is stored, and yet has two sizes"),
    "more than it says": (lambda: _said(size=9), "zip.size", "more comes out"),
    "less than it says": (lambda: _said(size=11), "zip.size", "10 bytes come out of it, and it says 11"),
    "a folder with content": (lambda: named("folder/"), "zip.size", "it is a folder, and has content"),
    "overlap": (lambda: two_entries_at_one_place(made()), "zip.local", "has another name"),
    "twin overlap": (lambda: _overlapping(), "zip.overlap", "it lies over aaa"),
    "content into the directory": (
        lambda: put(put(made(), 18, struct.pack("<I", 9_000)), central(made()) + 20, struct.pack("<I", 9_000)),
        "zip.truncated",
        "reaches into the directory",
    ),
    "another disk": (inside(34, b"\1\0"), "zip.split", "another part of a ZIP file"),
    "one part of several": (at_end(4, b"\1\0"), "zip.split", "one part of a ZIP file"),
    "second end record": (lambda: with_second_end(made()), "zip.ambiguous", "second end record"),
    "a wider end that differs": (lambda: with_wide_end(made(), count=9), "zip.ambiguous", "say different things"),
    "a wider end elsewhere": (lambda: with_wide_end(made(), at=3), "zip.directory", "not where it says"),
    "a wider end with a gap": (lambda: with_wide_end(made(), length=40), "zip.directory", "bytes lie between"),
    "a wider end of several": (lambda: with_wide_end(made(), disks=2), "zip.split", "one part"),
    "a wider end of another disk": (lambda: with_wide_end(made(), disk=1), "zip.split", "one part"),
    "escape": (lambda: named("../../etc/x"), "zip.path", "leads out of the folder"),
    "absolute": (lambda: named("/etc/passwd"), "zip.path", "it is absolute"),
    "a drive": (lambda: named("C:evil"), "zip.path", "it is absolute"),
    "backslash": (lambda: named("..\\evil"), "zip.path", "backslash"),
    "a dot": (lambda: named("bog/./fog"), "zip.path", "an empty name or a single dot"),
    "no name": (inside(28, b"\0\0"), "zip.path", "it is empty"),
    "no UTF-8": (lambda: made().replace(b"\xc3\xa4lder", b"\xff\xfelder"), "zip.name", "says it is UTF-8 is not"),
    "duplicate": (twice, "zip.twice", "it is there twice"),
    "local beyond": (inside(42, struct.pack("<I", 2**31)), "zip.local", "lies outside"),
    "directory moved": (lambda: put(made(), len(made()) - 6, b"\0\0\0\0"), "zip.directory", "the directory ends at"),
    "directory short": (at_end(8, b"\x06\0\x06\0"), "zip.directory", "ends after 4 of 6 entries"),
    "directory long": (at_end(8, b"\x03\0\x03\0"), "zip.directory", "belong to no entry"),
    "no directory entry": (lambda: put(made(), central(made()), b"KP"), "zip.directory", "is not one"),
    "an entry cut off": (inside(32, b"\xff\xff"), "zip.directory", "ends inside this entry|is not one|ends after"),
    "deflate damaged": (lambda: _spoiled(), "zip.deflate", "packed content is damaged"),
    "deflate cut": (lambda: _cut(), "zip.deflate", "does not end where it should"),
    "no wider sizes": (inside(24, b"\xff\xff\xff\xff"), "zip.size", "ZIP64"),
}


def _said(size: int) -> bytes:
    """The first entry's size is said otherwise, in both places."""
    said = struct.pack("<I", size)
    return put(put(made(), 22, said), central(made()) + 24, said)


def _overlapping() -> bytes:
    """One stored entry inside another, with a true local header of its own."""
    inner = io.BytesIO()
    with zipfile.ZipFile(inner, "w") as bundle:
        bundle.writestr("bbb", b"two")
    local = inner.getvalue()[: inner.getvalue().index(b"PK\1\2")]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as bundle:
        bundle.writestr("aaa", local)
        bundle.writestr("bbb", b"two")
    data = out.getvalue()
    second = data.rindex(b"PK\1\2")
    return put(data, second + 42, struct.pack("<I", data.index(b"bbb") - z.LOCAL_HEADER.size))


def _cut() -> bytes:
    """A deflated entry whose last byte is missing, with a length that agrees."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as bundle:
        packed = zlib.compressobj(9, zlib.DEFLATED, -15)
        data = packed.compress(b"fog" * 40) + packed.flush()
        info = zipfile.ZipInfo("fog")
        bundle.writestr(info, data[:-3])
    raw = out.getvalue()
    at = central(raw)
    for offset, what in (
        (8, b"\x08\0"),
        (14, struct.pack("<I", zlib.crc32(b"fog" * 40))),
        (22, struct.pack("<I", 120)),
    ):
        raw = put(put(raw, offset, what), at + offset + 2, what)
    return raw


def _shifted(prefix: bytes) -> bytes:
    """Offsets corrected, as a self-unpacking program has them."""
    out = io.BytesIO()
    out.write(prefix)
    with zipfile.ZipFile(out, "a") as bundle:
        bundle.writestr("fog", b"fog")
    return out.getvalue()


def _spoiled() -> bytes:
    data = made()
    return put(data, data.index(b"lder.txt") + 8, b"\xff" * 30)


@pytest.mark.parametrize("name", TRICKS)
def test_tricks_are_refused_with_the_reason(name: str) -> None:
    make, code, says = TRICKS[name]
    with refuses(code, says):
        contents(make())


def test_no_more_is_read_than_asked_for() -> None:
    with refuses("zip.too-large", "5,000 bytes are more than this file may have", where="data/fog.bin"):
        read_zip(BytesSource(made())).read("data/fog.bin", limit=4_999)
    with refuses("bundle.entry", "has no data/bog.bin"):
        read_zip(BytesSource(made())).read("data/bog.bin")


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
