"""bin/bench as it is called: rows, a tree of one's own, JSON. No time is asserted."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from pathlib import Path

from bench.generate import generate
from bench.measure import GROUPS
from bench.series import change

ROOT = Path(__file__).parents[2]


def run(*words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "bench", *words], cwd=ROOT, capture_output=True, text=True)


def test_rows_of_a_tree_of_one_s_own(tmp_path: Path) -> None:
    generate(tmp_path / "data", 3, 5)
    rows = "pack-update-time-floor,update-bytes-patchfrom,update-make-time-xdelta,install-time-tarzstd,bundle-sign-time-sha256"
    done = run("--data", str(tmp_path / "data"), "--rows", rows, "--json", str(tmp_path / "f.json"))
    assert done.returncode == 0, done.stderr
    figures = {f["row"]: f for f in json.loads((tmp_path / "f.json").read_text())}
    assert list(figures) == rows.split(",")
    for row in rows.split(","):
        figure = figures[row]
        assert figure["ours"] > 0
        assert row in done.stdout
        if figure["theirs"] is not None:
            assert abs(figure["ratio"] - figure["ours"] / figure["theirs"]) < 1e-9


def test_rows_of_packs_for_players(tmp_path: Path) -> None:
    generate(tmp_path / "data", 2, 5)
    # A series of three: twelve, as the row makes of a generated tree, take minutes.
    shutil.copytree(tmp_path / "data/v2", tmp_path / "data/v3")
    change(tmp_path / "data/v3", 2)
    rows = "fresh-bytes-best,fresh-bytes-xz,delivery-make-time,fresh-time-500,install-time-xz,install-memory"
    series = ",fresh-bytes-series,skip-bytes-series,store-bytes-series"
    done = run("--data", str(tmp_path / "data"), "--rows", rows + series, "--json", str(tmp_path / "f.json"))
    assert done.returncode == 0, done.stderr
    figures = {f["row"]: f for f in json.loads((tmp_path / "f.json").read_text())}
    assert list(figures) == (rows + series).split(",")
    assert all(f["ours"] > 0 for f in figures.values())
    assert figures["fresh-bytes-series"]["ratio"] <= 1.05
    assert "3 releases" in figures["fresh-bytes-series"]["note"]


def test_wrong_words_are_said(tmp_path: Path) -> None:
    assert "there is no row fog" in run("--rows", "fog").stderr
    assert "must hold the folders v1 and v2" in run("--data", str(tmp_path), "--rows", "cli-start-time-python").stderr


def test_the_generator_repeats_itself(tmp_path: Path) -> None:
    for name in ("a", "b"):
        generate(tmp_path / name, 2, 3)
    one = {p.relative_to(tmp_path / "a"): p.read_bytes() for p in (tmp_path / "a").rglob("*") if p.is_file()}
    two = {p.relative_to(tmp_path / "b"): p.read_bytes() for p in (tmp_path / "b").rglob("*") if p.is_file()}
    assert one == two
    assert any(p.parts[0] == "v2" for p in one)


def test_every_row_stands_once() -> None:
    ids = [i for g in GROUPS for i in g.ids]
    assert len(ids) == len(set(ids)) == 65
