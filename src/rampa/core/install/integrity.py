"""What a tree on the disk still holds of what it should."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from rampa.core.content.tree.regions import LocalContent, uses_of
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.install.assembly import file_holds, read_chunk
from rampa.core.install.plan import UpdatePlan


def still_to_write(plan: UpdatePlan, staged: Path) -> int:
    """Bytes of disk that the plan takes beyond what an earlier run wrote."""
    there = 0
    for file in plan.assemble.files:
        try:
            # Blocks, not the file's length: a file is given its length before its content, and the holes take no disk.
            there += min(file.size, (staged / file.path).stat().st_blocks * 512)
        except OSError:
            continue
    return plan.written - there


def intact(path: Path, file: FileEntry) -> bool:
    if file.player_rule:
        return path.is_file()  # what is in it is the player's
    if not file_holds(path, file.size, file.digest):
        return False
    return bool(path.stat().st_mode & 0o100) == file.executable


def link_holds(path: Path, target: str) -> bool:
    return path.is_symlink() and os.readlink(path) == target


def good_chunks(root: Path, tree: Tree) -> LocalContent:
    """Chunks that the tree really holds, wherever they are: only these may be reused for a repair."""
    held = np.full(len(tree.chunks), -1, dtype=np.int64)
    at = np.zeros(len(tree.chunks), dtype=np.int64)
    files, offset = uses_of(tree)
    for number, file, start in zip(tree.files.numbers, files.tolist(), offset.tolist(), strict=True):
        chunk = tree.chunks[number]
        if held[number] < 0 and read_chunk(root / tree.files.paths[file], start, chunk.size, chunk.digest) is not None:
            held[number], at[number] = file, start
    return LocalContent(tree, held, at, sound=False)
