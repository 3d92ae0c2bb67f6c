"""What becomes of files that players change: by the new build's rule, and never without one."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.core.content.tree.tree import Tree
from rampa.core.install.player_files import carry_over, changed, mark_player_files
from tests.core.install.test_install import Shop

OPTIONS, NOTES, PROGRAM = "options.ini", "notes/day.txt", "bin/peatlight"
FILES = {OPTIONS: b"fog = 1\n", NOTES: b"", PROGRAM: b"#!/bin/sh\n"}
MINE = b"fog = 9\n"


def tree(at: Path, rule: str, *patterns: str, without: str = "") -> Tree:
    for path, data in FILES.items():
        if path != without:
            (at / path).parent.mkdir(parents=True, exist_ok=True)
            (at / path).write_bytes(data)
            (at / path).chmod(0o755 if path == PROGRAM else 0o644)
    return mark_player_files(Shop().take(at), patterns, rule)


def test_only_player_files_that_were_changed_are_changed(tmp_path: Path) -> None:
    mine = tree(tmp_path, "keep", OPTIONS, NOTES)
    assert changed(mine, tmp_path) == []
    (tmp_path / PROGRAM).write_bytes(MINE)  # no player's file, whatever its mode
    assert changed(mine, tmp_path) == []
    (tmp_path / OPTIONS).write_bytes(MINE)  # as long as before
    assert [f.path for f in changed(mine, tmp_path)] == [OPTIONS]
    (tmp_path / NOTES).write_bytes(b"x")
    assert [f.path for f in changed(mine, tmp_path)] == [NOTES, OPTIONS]


@pytest.mark.parametrize("kind", ["gone", "link", "folder"])
def test_what_is_no_file_any_more_is_not_carried_over(kind: str, tmp_path: Path) -> None:
    """A link is not followed: it could lead anywhere on the player's machine."""
    at = tmp_path / "tree"
    mine = tree(at, "keep", OPTIONS)
    (tmp_path / "elsewhere").write_bytes(MINE)
    (at / OPTIONS).unlink()
    if kind == "link":
        (at / OPTIONS).symlink_to(tmp_path / "elsewhere")
    elif kind == "folder":
        (at / OPTIONS).mkdir()
    assert changed(mine, at) == []


@pytest.mark.parametrize(
    ("rule", "kept", "put_aside"),
    [("keep", [OPTIONS], []), ("aside", [], [OPTIONS]), ("replace", [], []), ("gone", [], [OPTIONS])],
)
def test_the_new_build_s_rule_decides(rule: str, kept: list[str], put_aside: list[str], tmp_path: Path) -> None:
    old = tree(tmp_path / "old", "keep", OPTIONS)
    gone = OPTIONS if rule == "gone" else ""
    new = tree(tmp_path / "new", rule if not gone else "keep", OPTIONS, without=gone)
    (tmp_path / "old" / OPTIONS).write_bytes(MINE)
    (tmp_path / "old" / OPTIONS).chmod(0o600)
    staged, aside = tmp_path / "new", tmp_path / "aside"
    assert carry_over(old, tmp_path / "old", new, staged, aside) == (kept, put_aside)
    there = {"keep": staged, "aside": aside, "gone": aside}.get(rule)
    if there:
        assert (there / OPTIONS).read_bytes() == MINE
        assert (there / OPTIONS).stat().st_mode & 0o777 == 0o600, "as private as the player made it"
    if rule in ("aside", "replace"):
        assert (staged / OPTIONS).read_bytes() == FILES[OPTIONS]
    assert (tmp_path / "old" / OPTIONS).read_bytes() == MINE, "the old build stays as it is"


def test_a_kept_file_is_not_written_through_a_link_to_another_build(tmp_path: Path) -> None:
    old, new = tree(tmp_path / "old", "keep", OPTIONS), tree(tmp_path / "new", "keep", OPTIONS)
    shared = tmp_path / "shared"
    (tmp_path / "new" / OPTIONS).rename(shared)
    (tmp_path / "new" / OPTIONS).hardlink_to(shared)
    (tmp_path / "old" / OPTIONS).write_bytes(MINE)
    carry_over(old, tmp_path / "old", new, tmp_path / "new", tmp_path / "aside")
    assert (tmp_path / "new" / OPTIONS).read_bytes() == MINE
    assert shared.read_bytes() == FILES[OPTIONS]
