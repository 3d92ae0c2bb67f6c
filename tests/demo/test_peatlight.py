"""The demo: the same bytes always, a valid document, a program that runs, and the changes that it promises."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from blake3 import blake3
from demo.peatlight import tree as demo
from demo.peatlight.documents import hurried

from rampa.core.check.pictures import check_pictures
from rampa.core.check.profile import check_document
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import resolve


@pytest.fixture(scope="module")
def folders(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    return demo.make_all(tmp_path_factory.mktemp("demo"))


def digests(root: Path) -> dict[str, str]:
    return {str(p.relative_to(root)): blake3(p.read_bytes()).hexdigest() for p in root.rglob("*") if p.is_file()}


def test_the_same_bytes_always(folders: dict[str, Path], tmp_path: Path) -> None:
    demo._place.cache_clear()
    demo._sound.cache_clear()
    assert digests(demo.make(tmp_path, "1.4.0")) == digests(folders["1.4.0"])


def test_the_size_and_the_changes_are_as_told(folders: dict[str, Path]) -> None:
    old, new = digests(folders["1.4.0"]), digests(folders["1.5.0"])
    assert 9e6 < sum(p.stat().st_size for p in folders["1.4.0"].rglob("*") if p.is_file()) < 16e6
    assert set(old) - set(new) == {"audio/old-bell.wav", "textures/places/marrow-bend.tex"}
    assert {p for p in set(new) - set(old) if not p.startswith("listing/")} == {"textures/bends/marrow-bend.tex"}
    assert old["textures/places/marrow-bend.tex"] == new["textures/bends/marrow-bend.tex"]
    changed = {p for p in old.keys() & new.keys() if old[p] != new[p]}
    assert {"data/bog.arc", "bin/peatlight", "maps/kiln-yard.heights"} <= changed
    grown = (folders["1.5.0"] / "data/bog.arc").stat().st_size - (folders["1.4.0"] / "data/bog.arc").stat().st_size
    assert grown > 100_000


def test_documents_are_valid_and_sound(folders: dict[str, Path]) -> None:
    for folder in folders.values():
        document = read_document((folder / "rampa.toml").read_bytes())
        for name in document.profiles:
            if name.startswith(("linux", "windows")):
                assert (folder / resolve(document, name).launch).is_file()
        assert not [f for f in check_document(document) if f.severity == "blocker"]
    everywhere = read_document((folders["1.5.0"] / "rampa.toml").read_bytes())
    told = [tuple(p.get(key) for p in everywhere.profiles.values()) for key in ("platform", "purpose")]
    assert (len(told[0]), len(set(told[0])), len(set(told[1]))) == (9, 6, 3)
    assert not [f for f in check_pictures(folders["1.5.0"], everywhere.profiles.values()) if f.severity == "blocker"]


def test_what_was_written_in_a_hurry_has_findings(folders: dict[str, Path]) -> None:
    found = check_document(read_document(hurried().encode()))
    codes = {f.code for f in found if f.severity == "blocker"}
    assert {"display.touch-needed", "code.graphics-not-set", "content.opening-left-out", "code.debug-helpers"} <= codes


def test_the_program_runs(folders: dict[str, Path]) -> None:
    program = folders["1.5.0"] / "bin/peatlight"
    assert (
        "self-test: ok" in subprocess.run([program, "--self-test"], capture_output=True, text=True, check=True).stdout
    )
    said = subprocess.run([program, "--language=fi"], capture_output=True, text=True, check=True).stdout
    assert "Yövuoro alkaa" in said
