"""The order in which files pack best: programs first, by their processor, then by the ending of their names."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from rampa.core.binaries.read_at import ReadAt
from rampa.core.content.pack.filter_choice import Shape, shape_in
from rampa.core.content.pack.filters import CODE
from rampa.core.content.tree.tree import Tree

READ = Callable[[str, int, int], bytes]
"""(path, offset, size) -> the content of a file of the build."""
LEAST = 4096
"""Smaller files are no programs, textures or sounds that a filter would be worth its runs for."""


@dataclass(frozen=True)
class FileOrder:
    """`numbers` of the tree's files, one behind the other; `shapes` of those that a filter suits, by number."""

    numbers: list[int]
    shapes: dict[int, Shape] = field(default_factory=dict)


def order_of(tree: Tree, read: READ) -> FileOrder:
    """Reads the first bytes of every file of some size, and what the headers of programs name."""
    shapes = {}
    for number, (path, size) in enumerate(zip(tree.files.paths, tree.files.sizes, strict=True)):
        shape = shape_in(reader_of(read, path, size)) if size >= LEAST else None
        if shape is not None:
            shapes[number] = shape
    paths = tree.files.paths

    def key(number: int) -> tuple[int, int, str, str]:
        shape = shapes.get(number)
        # A program's name tells nothing of its content: libraries end in their version, tools in nothing.
        if shape is not None and shape.filter.kind == CODE:
            return 0, shape.filter.parameter, "", paths[number]
        return 1, 0, ending_of(paths[number]), paths[number]

    return FileOrder(sorted(range(len(paths)), key=key), shapes)


def reader_of(read: READ, path: str, size: int) -> ReadAt:
    """Of one file: what its header names can lie anywhere, and be of any length."""
    return lambda offset, most: read(path, offset, min(most, size - offset)) if 0 <= offset < size and most > 0 else b""


def ending_of(path: str) -> str:
    """In lower case, without the dot; empty where there is none."""
    name = path.rpartition("/")[2]
    return name.rpartition(".")[2].lower() if "." in name[1:] else ""
