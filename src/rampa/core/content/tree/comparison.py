"""The difference of two trees, file by file and folder by folder.

Placing a build, comparing two, and what an update costs all read this one.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from rampa.core.content.tree.file_change import FileChange
from rampa.core.content.tree.tree import FileEntry, Files, Tree


def compare(old: Tree, new: Tree) -> list[FileChange]:
    """Sorted by kind, then path. A removed file whose content came up elsewhere is a move and costs nothing."""
    changes: list[FileChange] = []
    gone: list[int] = []
    fresh: list[int] = []
    for was, now in _side_by_side(old.files, new.files):
        if was < 0:
            fresh.append(now)
        elif now < 0:
            gone.append(was)
        # Content is compared, and of the mode only the bit for running: a file becoming a player file changes nothing
        # on the disk.
        elif old.files.digests[was] != new.files.digests[now] or (old.files.modes[was] ^ new.files.modes[now]) & 1:
            a, b = old.files[was], new.files[now]
            changes.append(FileChange("changed", b.path, a.path, a.size, b.size, _shared(a, b)))
    moved: set[int] = set()
    left = {old.files.digests[i]: i for i in gone}
    for i in fresh:
        # Each old file moves once: of two new copies, the second is a copy that came in addition.
        source, file = left.pop(new.files.digests[i], -1), new.files[i]
        if source >= 0:
            changes.append(FileChange("moved", file.path, old.files.paths[source], file.size, file.size, file.size))
            moved.add(source)
        else:
            changes.append(FileChange("added", file.path, "", 0, file.size, 0))
    for i in gone:
        if i in moved:
            continue
        changes.append(FileChange("removed", old.files.paths[i], old.files.paths[i], old.files.sizes[i], 0, 0))
    order = {"changed": 0, "added": 1, "moved": 2, "removed": 3}
    return sorted(changes, key=lambda c: (order[c.kind], c.path))


def by_weight(changes: list[FileChange]) -> list[FileChange]:
    """Those that touch most bytes first."""
    return sorted(changes, key=lambda c: (-max(c.old_size, c.new_size), c.path))


def folder_sizes(tree: Tree) -> dict[str, int]:
    """Top folder -> bytes; files that lie in none count for `.`."""
    out: dict[str, int] = defaultdict(int)
    for f in tree.files:
        out[f.path.partition("/")[0] if "/" in f.path else "."] += f.size
    return dict(out)


def _shared(old: FileEntry, new: FileEntry) -> int:
    had = {c.digest for c in old.chunks}
    return sum(c.size for c in new.chunks if c.digest in had)


def _side_by_side(old: Files, new: Files) -> Iterator[tuple[int, int]]:
    """The numbers of the files with the same path in both; -1 where one side has none."""
    i = j = 0
    while i < len(old) or j < len(new):
        a = old.paths.raw(i) if i < len(old) else None
        b = new.paths.raw(j) if j < len(new) else None
        if b is None or (a is not None and a < b):
            yield i, -1
            i += 1
        elif a is None or b < a:
            yield -1, j
            j += 1
        else:
            yield i, j
            i, j = i + 1, j + 1
