"""Comparing two trees: what a person wants to know before they place a build."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.content.tree import FileEntry, Tree


@dataclass(frozen=True)
class FileChange:
    """`kind` is added, removed, changed or moved. `shared` counts bytes of the new file that the old one holds too."""

    kind: str
    path: str
    old_path: str
    old_size: int
    new_size: int
    shared: int


def compare(old: Tree, new: Tree) -> list[FileChange]:
    """Sorted by kind, then path. A removed file whose content came up elsewhere is a move and costs nothing."""
    before = {f.path: f for f in old.files}
    after = {f.path: f for f in new.files}
    gone = {f.digest: f for f in old.files if f.path not in after}
    changes = []
    moved: set[str] = set()
    for path, file in after.items():
        was = before.get(path)
        if was is None:
            source = gone.get(file.digest)
            if source is not None and source.path not in moved:
                moved.add(source.path)
                changes.append(FileChange("moved", path, source.path, source.size, file.size, file.size))
            else:
                changes.append(FileChange("added", path, "", 0, file.size, 0))
        elif was.digest != file.digest or was.executable != file.executable:
            changes.append(FileChange("changed", path, path, was.size, file.size, _shared(was, file)))
    for path, was in before.items():
        if path not in after and path not in moved:
            changes.append(FileChange("removed", path, path, was.size, 0, 0))
    order = {"changed": 0, "added": 1, "moved": 2, "removed": 3}
    return sorted(changes, key=lambda c: (order[c.kind], c.path))


def _shared(old: FileEntry, new: FileEntry) -> int:
    had = {c.digest for c in old.chunks}
    return sum(c.size for c in new.chunks if c.digest in had)
