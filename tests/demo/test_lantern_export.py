"""The stand-in engine: honest, a licence and versions, what it makes, and the three ways in which it fails."""

from __future__ import annotations

import json
import os
import platform
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from demo.lantern_export.installing import SCRIPT, install
from demo.peatlight.repository import make

from rampa.core.profile.file_probe import Seen, programs
from rampa.core.run.baked import find_stale, read_record

EVERY = ["linux", "windows", "macos", "android", "ios", "headset"]


@pytest.fixture(scope="module")
def source(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return make(tmp_path_factory.mktemp("demo") / "peatlight")


@pytest.fixture
def home(tmp_path: Path) -> Path:
    return install(tmp_path / "toolchains", "3.3.0", EVERY) / "3.3.0"


def export(source: Path, home: Path, out: Path, *more: str, code: int = 0) -> str:
    words = [sys.executable, str(SCRIPT), "--installation", str(home), "export", "--out", str(out)]
    words += [*more] if "--platform" in more else ["--platform", "linux", *more]
    environment = {**os.environ, "LANTERN_PACE": "0"}
    done = subprocess.run(words, cwd=source, env=environment, capture_output=True, text=True)
    assert done.returncode == code, done.stdout + done.stderr
    return done.stdout


def test_it_makes_programs_content_and_a_record(source: Path, home: Path, tmp_path: Path) -> None:
    said = export(source, home, tmp_path / "out")
    assert said.startswith("lantern-export 3.3.0, a stand-in engine")
    assert "[100%]" in said
    assert "is no power of two" in said
    record = read_record(tmp_path / "out")
    assert len(record) > 15
    assert find_stale(record, source) == []
    if platform.machine() == "x86_64" and shutil.which("cc"):
        told = subprocess.run([tmp_path / "out/bin/peatlight", "--self-test"], capture_output=True, text=True)
        assert "wagons are home (release)" in told.stdout
    texture = (tmp_path / "out/textures/marrow-bend.ktx2").read_bytes()
    assert texture.startswith(b"\xabKTX 20\xbb\r\n\x1a\n")
    assert json.loads((tmp_path / "out/locale/fi.json").read_text())["shift"] == "Yövuoro alkaa."
    changed = source / "maps/kiln-yard.places"
    before = changed.read_text()
    changed.write_text(before + "1 1 1\n")
    assert [s.path for s in find_stale(record, source)] == ["maps/kiln-yard.heights"]
    changed.write_text(before)


@pytest.mark.parametrize(
    ("name", "architecture"), [("windows", "x86_64"), ("macos", "arm64"), ("android", "arm64"), ("ios", "arm64")]
)
def test_other_platforms_get_honest_stand_ins(
    source: Path, home: Path, tmp_path: Path, name: str, architecture: str
) -> None:
    said = export(source, home, tmp_path / "out", "--platform", name)
    assert "the program is a stand-in with a correct header" in said
    file = next((tmp_path / "out/bin").iterdir())
    (found,) = programs([Seen(f"bin/{file.name}", file.stat().st_size, file.read_bytes()[:4096], True)])
    assert found.architecture == architecture
    assert b"has a correct header and no code" in file.read_bytes()


@pytest.mark.parametrize(
    ("how", "said"),
    [("compile", "could not be compiled"), ("texture", "the picture ends early"), ("memory", "out of memory")],
)
def test_it_fails_in_three_ways(source: Path, home: Path, tmp_path: Path, how: str, said: str) -> None:
    assert said in export(source, home, tmp_path / "out", "--fail", how, code=1)


def test_without_its_licence_it_does_nothing(source: Path, tmp_path: Path) -> None:
    home = install(tmp_path / "t", "3.1.4", ["linux"], accepted=False) / "3.1.4"
    assert "was not accepted on this machine" in export(source, home, tmp_path / "out", code=3)


def test_the_same_commits_always(source: Path, tmp_path: Path) -> None:
    def heads(root: Path) -> str:
        return subprocess.run(["git", "for-each-ref"], cwd=root, capture_output=True, text=True, check=True).stdout

    assert heads(make(tmp_path / "again")) == heads(source)
