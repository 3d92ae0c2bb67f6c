"""ZIP bundles: the same bytes twice, and readers of other origin agree."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import pytest

from rampa.core.bundle import zip_writer
from rampa.core.bundle.zip_writer import Member, write_zip
from tests.refusals import refuses
from tests.samples import noise, words

CONTENTS = {
    "top/bin/peatlight": b"#!/bin/sh\n",
    "top/data/bog.arc": words(3_500_000) + noise(1_200_000),
    "top/data/noise.bin": noise(900_000, 4),
    "top/empty": b"",
    "top/locale/\u00e1lder.txt": b"name in UTF-8",
}


@pytest.fixture
def members(tmp_path: Path) -> list[Member]:
    out = []
    for i, (name, data) in enumerate(CONTENTS.items()):
        (tmp_path / str(i)).write_bytes(data)
        out.append(Member(name, tmp_path / str(i), len(data), executable=name.endswith("peatlight")))
    return [*out, Member("top/start", "bin/peatlight", 13)]


def written(members: list[Member], workers: int = 2) -> bytes:
    out = io.BytesIO()
    assert write_zip(out, members, workers) == len(out.getvalue())
    return out.getvalue()


def test_the_same_members_give_the_same_bytes(members: list[Member]) -> None:
    assert written(members) == written(members, workers=1)


def test_another_reader_finds_everything(members: list[Member]) -> None:
    with zipfile.ZipFile(io.BytesIO(written(members))) as bundle:
        assert bundle.testzip() is None
        assert {n: bundle.read(n) for n in bundle.namelist() if n != "top/start"} == CONTENTS
        modes = {i.filename: i.external_attr >> 16 for i in bundle.infolist()}
        assert modes["top/bin/peatlight"] == 0o100755
        assert modes["top/empty"] == 0o100644
        assert modes["top/start"] == 0o120777
        assert bundle.read("top/start") == b"bin/peatlight"
        methods = {i.filename: i.compress_type for i in bundle.infolist()}
        assert methods["top/data/noise.bin"] == zipfile.ZIP_STORED, "what does not gain is stored"
        assert methods["top/data/bog.arc"] == zipfile.ZIP_DEFLATED


def test_parallel_deflate_loses_little(members: list[Member]) -> None:
    plain = io.BytesIO()
    with zipfile.ZipFile(plain, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as bundle:
        for name, data in CONTENTS.items():
            bundle.writestr(name, data)
    assert len(written(members)) < 1.03 * len(plain.getvalue())


def test_hostile_names_and_changed_files_are_refused(members: list[Member], tmp_path: Path) -> None:
    with refuses("path.unsafe"):
        written([Member("../evil", tmp_path / "0", 10)])
    with refuses("file.changed", "changed while the bundle was written"):
        written([Member("top/x", tmp_path / "0", 11)])


@pytest.mark.slow
def test_a_file_above_4_gib_is_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(zip_writer, "_deflate", lambda data, before, last: b"\x03\x00" if last else b"")
    big = tmp_path / "sparse"
    size = (4 << 30) + 5
    with big.open("wb") as out:
        out.truncate(size)
    monkeypatch.setattr(zip_writer, "PIECE", 64 << 20)
    data = written([Member("top/sparse", big, size, method=8)])
    with zipfile.ZipFile(io.BytesIO(data)) as bundle:
        assert bundle.getinfo("top/sparse").file_size == size
