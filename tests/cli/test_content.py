"""rampa content and rampa depot on folders, without a service: what goes in, how it is packed, which depots."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest

from tests.cli.test_commands import Shell
from tests.conftest import Live
from tests.core.content.pack.test_filters import sound
from tests.samples import DOCUMENT, make_folder, noise

HOSTILE = "data/a[/red] :bell:.txt"
"""To a terminal's markup this would be a tag that ends, and a picture."""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    made = make_folder(tmp_path / "export")
    (made / "rampa.toml").write_text(DOCUMENT)
    (made / HOSTILE).parent.mkdir(exist_ok=True, parents=True)
    (made / HOSTILE).write_text("fog\n")
    (made / "data/horn.wav").write_bytes(sound(3))
    return made


@pytest.fixture
def alone(tmp_path: Path) -> Shell:
    """A command line that knows no service."""
    return Shell(Live(None, "", 1, ""), tmp_path / "home")  # type: ignore[arg-type]


def test_what_goes_in_with_names_as_they_are(alone: Shell, folder: Path) -> None:
    words = ("content", "preview", str(folder), "--profile", "linux-release")
    assert HOSTILE in alone.run(*words, "--show", "in").stdout
    assert "red] :bell:.txt" in alone.run(*words, "--under", "data").stdout
    rows = {r["path"]: r for r in alone.json(*words)["rows"]}
    assert rows[HOSTILE]["inside"]
    assert rows[HOSTILE]["rule"]
    assert "There is: linux-release" in alone.run(*words[:3], code=1).stderr


def test_what_is_over_its_budget_is_a_warning(alone: Shell, folder: Path) -> None:
    said = DOCUMENT.replace("[version]", '[budgets]\nfolders = { data = "1 MB" }\n\n[version]', 1)
    (folder / "rampa.toml").write_text(said)
    told = alone.run("content", "preview", str(folder), "--profile", "linux-release", code=9).stdout
    assert "the folder data weighs 5.0 MB, and its budget is 1.0 MB" in " ".join(told.split())


def test_levels_are_measured_and_a_filter_is_proposed(alone: Shell, folder: Path) -> None:
    words = ("content", "tune", str(folder), "--profile", "linux-release", "--seconds", "1")
    assert '"*.wav" = "3 filtered"' in alone.run(*words).stdout
    found = alone.json(*words)
    sound_ = next(e for e in found["endings"] if e["ending"] == ".wav")
    assert sound_["filtered_ratio"] < sound_["ratio"]
    assert found["best"] in [m["level"] for m in found["levels"]]
    assert tomllib.loads(found["rules"])["packing"]["*.wav"] == "3 filtered"
    assert found["players"] is None


def test_ways_for_players_are_tried_beforehand(alone: Shell, folder: Path) -> None:
    words = ("content", "tune", str(folder), "--profile", "linux-release", "--seconds", "1", "--players")
    slow, fast = (alone.json(*words, "--audience", said)["players"]["ways"] for said in ("1:1", "9000:1:0.01"))
    for ways in (slow, fast):
        assert sum(w["chosen"] for w in ways) == 1
        assert {w["frame"] for w in ways} == {1, 8, 32}
    assert "chosen" in alone.run(*words).stdout
    assert "RATE:WEIGHT" in alone.run(*words, "--audience", "fog", code=1).stderr


def test_a_proposal_of_depots_is_text_for_the_document(alone: Shell, folder: Path, tmp_path: Path) -> None:
    other = make_folder(tmp_path / "windows")
    (other / "data/windows.dll").write_bytes(noise(200_000, 9))
    words = ("depot", "propose", f"linux={folder}", f"windows={other}")
    assert "One depot is enough" in alone.run(*words).stdout
    proposed = alone.run(*words, "--least-size", "0.001")
    assert "in place of its [depots.…] tables" in proposed.stderr
    assert "[depots." in proposed.stdout
