"""Player files: those that players may change. What they changed is never lost without a rule that says so.

keep      the player's file stays; the new one is not installed
replace   the new one is installed
aside     the new one is installed, the player's goes to ROOT/aside
"""

from __future__ import annotations

import shutil
import stat
from dataclasses import replace
from pathlib import Path

import numpy as np

from rampa.core.content.tree.player_file_rules import PLAYER_FILE_RULES
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.files import replacing
from rampa.core.install.assembly import file_holds
from rampa.core.patterns import read_patterns


def mark_player_files(tree: Tree, patterns: tuple[str, ...], rule: str) -> Tree:
    """The tree with the files that match marked as the player's. `rule` is one of `player_file_rules.PLAYER_FILES`."""
    if not patterns:
        return tree
    spec = read_patterns(patterns)
    # One byte a file: the lowest bit is "executable", the rest the rule's number.
    code = PLAYER_FILE_RULES.index(rule) + 1
    files = tree.files
    modes = bytes(
        mode & 1 | code << 1 if spec.match_file(path) else mode
        for path, mode in zip(files.paths, files.modes, strict=True)
    )
    return Tree(replace(files, modes=modes), tree.links)


def changed(tree: Tree, at: Path) -> list[FileEntry]:
    """The player files of an installed tree that the player changed."""
    out = []
    for i in np.flatnonzero(np.frombuffer(tree.files.modes, np.uint8) > 1).tolist():
        file = tree.files[i]
        path = at / file.path
        if path.is_file() and not path.is_symlink() and not file_holds(path, file.size, file.digest):
            out.append(file)
    return out


def carry_over(old: Tree, old_at: Path, new: Tree, staged: Path, aside: Path) -> tuple[list[str], list[str]]:
    """Brings the player's changed files into a staged tree; returns (paths kept, paths set aside).

    The rule is that of the new build; a player file that it no longer has is set aside. `aside` gets one folder a build.
    """
    kept, put_aside = [], []
    for file in changed(old, old_at):
        now = new.files.find(file.path)
        rule = now.player_rule if now else "aside"
        if rule == "keep":
            _copy(old_at / file.path, staged / file.path)
            kept.append(file.path)
        elif rule != "replace":
            _copy(old_at / file.path, aside / file.path)
            put_aside.append(file.path)
    return kept, put_aside


def _copy(source: Path, target: Path) -> None:
    """Beside, then renamed: a link to another build's file is not written through."""
    with replacing(target, stat.S_IMODE(source.stat().st_mode), settle=False) as out, source.open("rb") as stream:
        shutil.copyfileobj(stream, out)
