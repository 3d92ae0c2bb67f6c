"""What changed of one file between two trees."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class FileChange:
    """`kind` is added, removed, changed or moved. `shared` counts bytes of the new file that the old one holds too."""

    kind: str
    path: str
    old_path: str
    old_size: int
    new_size: int
    shared: int
