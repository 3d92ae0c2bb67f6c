"""`rampa profile`, `rampa title`, `rampa picture` as people and scripts use them, with and without a service."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from demo.peatlight.content import icon
from demo.peatlight.documents import EVERYWHERE, FIRST, hurried
from PIL import Image

from tests.cli.test_commands import Shell
from tests.cli.test_commands import shell as shell
from tests.conftest import Live


@pytest.fixture
def alone(tmp_path: Path) -> Shell:
    """A command line that knows no service."""
    nowhere = Live(None, "", 1, "")  # type: ignore[arg-type]
    (tmp_path / "home").mkdir()
    return Shell(nowhere, tmp_path / "home")


def document(folder: Path, text: str) -> Path:
    (folder / "art").mkdir(parents=True, exist_ok=True)
    icon().save(folder / "art/icon.png")
    Image.new("RGB", (1920, 1280), "#1f1b18").save(folder / "art/opening.png")
    (folder / "rampa.toml").write_bytes(text.encode())
    return folder


def test_a_repository_can_check_its_document_alone(alone: Shell, tmp_path: Path) -> None:
    good, bad = document(tmp_path / "good", EVERYWHERE), document(tmp_path / "bad", hurried())
    assert "0 blockers, 0 warnings" in alone.run("profile", "check", "--document", str(good)).stdout
    told = alone.run("profile", "check", "--document", str(bad), code=6).stdout
    assert "android-release, android-testing, ios-release: Touch controls: no" in told
    alone.run("profile", "check", "--document", str(bad), "--profile", "android-testing", code=6)
    (tmp_path / "warned").mkdir()
    warned = document(tmp_path / "warned", EVERYWHERE.replace('orientation = "landscape"', 'orientation = "any"'))
    alone.run("profile", "check", "--document", str(warned), code=9)
    broken = document(tmp_path / "broken", EVERYWHERE.replace('"linux"', '"linus"', 1))
    assert "line 98, column 12" in alone.run("profile", "check", "--document", str(broken), code=1).stderr
    found = alone.json("profile", "resolve", "visor-release", "--document", str(good))
    assert {s["key"]: s["value"] for s in found["settings"]}["system.minimum"]["origin"]["layer"] == "facet headset"
    shown = alone.run("profile", "resolve", "visor-release", "--document", str(good)).stdout
    assert "line 77, facet headset" in shown
    assert "at the default; --all shows them" in shown
    differing = alone.run("profile", "compare", "linux-release", "ios-release", "--document", str(good)).stdout
    assert "− maps/signal-loft.heights" in differing
    rows = alone.json("profile", "matrix", "--document", str(good), "--group", "code", "--differing")["rows"]
    assert {r["group"] for r in rows} == {"code"}
    assert all(r["differs"] for r in rows)
    assert "code.ahead_of_time" in alone.run("profile", "settings", "ahead").stdout


def test_a_fix_is_shown_then_made_in_the_file(alone: Shell, tmp_path: Path) -> None:
    folder = document(tmp_path / "bad", hurried())
    name = "visor-release/system.minimum-level/system.minimum"
    refused = alone.run("profile", "fix", name, "--document", str(folder))
    assert '+system.minimum = "44"' in refused.stdout
    assert "Not done" in refused.stderr
    assert (folder / "rampa.toml").read_text() == hurried()
    alone.run("profile", "fix", name, "--document", str(folder), "--yes")
    assert (folder / "rampa.toml").read_text().count("\n") == hurried().count("\n")
    alone.run("profile", "fix", "--all", "--document", str(folder), "--yes")
    alone.run("profile", "check", "--document", str(folder), code=9)
    assert "no finding with a fix" in alone.run("profile", "fix", "x/y/z", "--document", str(folder), code=4).stderr


def test_bad_documents_are_refused_with_a_sentence(alone: Shell, tmp_path: Path) -> None:
    for name, data, says in (
        ("huge", b"#" * 5_000_000, "it is 5.0 MB long"),
        ("nul", b"a = 1\0\n", "line 1, column 6: this is a NUL byte"),
        ("utf16", EVERYWHERE.encode("utf-16"), "this byte is not UTF-8"),
        ("deep", b"a = " + b"[" * 2000 + b"]" * 2000, "nested more than 100 deep"),
        ("keys", b"".join(b"k%d = 1\n" % i for i in range(10_000)), "and 9"),
    ):
        (tmp_path / name).write_bytes(data)
        assert says in alone.run("profile", "check", "--document", str(tmp_path / name), code=1).stderr
    missing = alone.run("profile", "check", "--document", str(tmp_path / "none"), code=4).stderr
    assert "rampa profile propose" in missing


def test_a_document_is_proposed_and_written_once(alone: Shell, tmp_path: Path) -> None:
    folder = tmp_path / "bog-1.0.0"
    (folder / "bin").mkdir(parents=True)
    (folder / "bin/bog").write_text("#!/bin/sh\n")
    os.chmod(folder / "bin/bog", 0o755)
    words = ("profile", "propose", str(folder), "--studio", "Quillback Works", "--domain", "quillback.example")
    assert 'launch.entry = "bin/bog"' in alone.run(*words).stdout
    assert alone.json(*words)["reasons"]
    alone.run(*words, "--write")
    assert "a profile document already" in alone.run(*words, "--write", code=1).stderr
    alone.run("profile", "check", "--document", str(folder), "--profile", "linux-release", code=6)


def test_picture_sets_are_written_for_every_platform(alone: Shell, tmp_path: Path) -> None:
    source = tmp_path / "icon.png"
    icon().save(source)
    told = alone.run("picture", "make", str(source), "--to", str(tmp_path / "out"), "--background", "#1f1b18").stdout
    assert "16, 20, 24, 32, 40, 48, 64, 128, 256" in told
    assert Image.open(tmp_path / "out/windows/icon.ico").info["sizes"]
    assert Image.open(tmp_path / "out/ios/icon-1024.png").mode == "RGB"
    assert "This replaces" not in alone.run("picture", "make", str(source), "--to", str(tmp_path / "o2")).stderr
    again = alone.run("picture", "make", str(source), "--to", str(tmp_path / "out"), code=1)
    assert "Not done" in again.stderr
    icon(200).save(tmp_path / "small.png")
    small = alone.run("picture", "make", str(tmp_path / "small.png"), "--to", str(tmp_path / "s"), code=6).stderr
    assert "too small for" in small
    assert not (tmp_path / "s").exists()


def test_revisions_fixes_and_owners_by_command_line(shell: Shell, tmp_path: Path) -> None:
    folder = document(tmp_path / "source", FIRST)
    shell.run("key", "make", "quillback-2026")
    shell.run("title", "import", str(folder), "--message", "The first.")
    document(folder, hurried())
    shell.run("title", "import", str(folder), "-m", "In a hurry.")
    assert shell.run("title", "export").stdout == hurried()
    told = shell.run("title", "change", "2").stdout
    assert "visor-release (new)" in told
    assert '+storefront = "visorfield"' in told
    shell.run("profile", "check", code=6)
    shell.run("profile", "fix", "--all", "--yes", "-m", "What the checks found.")
    shell.run("profile", "check", code=9)
    assert "code.debug_helpers" in shell.run("profile", "compare", "windows-release@2", "windows-release").stdout
    assert "Make this revision" not in shell.run("title", "restore", "1").stdout
    shell.run("title", "restore", "1", "--yes")
    assert shell.run("title", "export").stdout == FIRST
    assert "Back to revision 1." in shell.run("title", "revisions").stdout
    assert "says the same already" in shell.run("title", "restore", "1").stdout
    shell.run("title", "owner", "https://git.quillback.example/peatlight.git")
    document(folder, EVERYWHERE)
    assert "--commit" in shell.run("title", "import", str(folder), code=6).stderr
    shell.run("title", "import", str(folder), "--commit", "0a1b2c3d4e5f")
    assert "0a1b2c3d4e5f" in shell.run("title", "revisions").stdout
