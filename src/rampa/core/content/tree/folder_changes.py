"""What differs between two trees, file by file and folder by folder."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from rampa.core.content.tree.tree import Tree


@dataclass(frozen=True, slots=True)
class FileChange:
    """`kind` is added, removed or changed; sizes in bytes, 0 where there is no file."""

    path: str
    kind: str
    before: int
    after: int


def file_changes(before: Tree, after: Tree) -> list[FileChange]:
    """Sorted by how many bytes are touched, most first."""
    old = {f.path: f for f in before.files}
    new = {f.path: f for f in after.files}
    out = [FileChange(p, "removed", f.size, 0) for p, f in old.items() if p not in new]
    out += [FileChange(p, "added", 0, f.size) for p, f in new.items() if p not in old]
    out += [
        FileChange(p, "changed", old[p].size, f.size) for p, f in new.items() if p in old and old[p].digest != f.digest
    ]
    return sorted(out, key=lambda c: (-max(c.before, c.after), c.path))


def folder_sizes(tree: Tree) -> dict[str, int]:
    """Top folder -> bytes; files that lie in none count for `.`."""
    out: dict[str, int] = defaultdict(int)
    for f in tree.files:
        out[f.path.partition("/")[0] if "/" in f.path else "."] += f.size
    return dict(out)
