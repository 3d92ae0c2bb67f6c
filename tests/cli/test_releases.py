"""A release by command line: made, with what lags, left out, placed, its notes, rolled back."""

from __future__ import annotations

import json
from pathlib import Path

from rampa.client import Client
from tests.cli.conftest import Said
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder


def test_made_placed_and_rolled_back(said: Said, client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    folder = make_folder(tmp_path / "source", 200_000)
    for version in ("1.4.0", "1.5.0"):
        for profile in ("linux-release", "windows-release"):
            build(client, folder, tmp_path / "state", profile, version_name=version)
        if version == "1.4.0":
            change_folder(folder)
    assert "No release yet" in said("release", "list")
    with refuses("release.of"):
        said("release", "make")
    with refuses("release.titles", "builds of two titles: fogbound, peatlight"):
        said("release", "make", "peatlight#1", "fogbound#1")
    told = said("release", "make", "peatlight#1")
    assert "▲ lags" in told
    assert "its newest build is peatlight#4, 1.5.0" in told
    with refuses("release.blocked", "nothing is placed: 1 obstacle, above"):
        said("release", "place", "1", "--on", "studio", "--yes")
    with refuses("release.reason"):
        said("release", "leave-out", "1", "windows-release")
    assert "◇ left out" in said("release", "leave-out", "1", "windows-release", "--reason", "Its driver is ill.")
    assert "▲ lags" in said("release", "leave-out", "1", "windows-release", "--back")
    assert "○ ready" in said("release", "add", "1", "peatlight#2")
    assert "Release 1 (1.4.0) on studio" in said("release", "place", "1", "--on", "studio", "--preview")
    assert "Release 1 (1.4.0) is live on studio: 2 lines." in said("release", "place", "1", "--on", "studio", "--yes")
    said("release", "make", "peatlight#3", "peatlight#4")
    said("release", "place", "2", "--on", "studio", "--share", "5", "--yes")
    both = said("rollout", "grow", "--release", "2", "--on", "studio", "--to", "20", "--yes")
    assert both.count("20 %") >= 2
    said("rollout", "plan", "--release", "2", "--on", "studio", "--as", "50 % after 1 h, all after 2 h", "--yes")
    assert said("rollout", "hold", "--release", "2", "--on", "studio", "--why", "It crashes.").count("held") == 2
    assert said("rollout", "go-on", "--release", "2", "--on", "studio").count("growing") == 2
    back = ("rollout", "roll-back", "--release", "1", "--on", "studio")
    assert said(*back, "--preview").count("studio goes back to") == 2
    said(*back, "--yes")
    with refuses("rollout.no-way-back"):
        said(*back, "--yes")
    assert [r["live_on"] for r in json.loads(said("release", "list", "--json"))] == [[], ["studio"]]
    assert "live on  studio" in said("release", "show", "1")


def test_notes_from_a_file(said: Said, client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "source", 100_000), tmp_path / "state")
    said("release", "make", "peatlight#1")
    assert "No notes yet" in said("release", "notes", "1")
    (tmp_path / "notes.txt").write_text("The fog lifts at Alder Halt.\n")
    told = said("release", "notes", "1", "--for", "players", "--language", "en", "--file", str(tmp_path / "notes.txt"))
    assert "For players, en, by" in told
    assert "The fog lifts at Alder Halt." in said("release", "notes", "1")
    assert "No commits are known" in said("release", "notes", "1", "--draft", "studio")
    assert json.loads(said("release", "notes", "1", "--draft", "studio", "--json"))["subjects"] == []
