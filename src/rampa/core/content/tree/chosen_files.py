"""The files of a folder that go in, in columns: a million of them in a hundred megabytes."""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import overload

from rampa.core.content.tree.columns import Texts


@dataclass(frozen=True, slots=True)
class Selected:
    """A regular file that goes in: `path` as it is delivered, `disk` as the folder names it, and its stat."""

    path: str
    disk: str
    size: int
    executable: bool
    stamp: tuple[int, int, int, int]
    rule: int = -1
    """The number of the include pattern that let it in."""


class SelectedFiles(Sequence[Selected]):
    """Selected files in columns, sorted by path. `stamps` has four numbers a file."""

    def __init__(self, files: Iterable[Selected]) -> None:
        self.sizes, self._modes, self._rules = array("Q"), bytearray(), array("i")
        self.stamps = array("q")
        # Few files are named otherwise on the disk (a folder's part that is not delivered): a list would hold a
        # million texts twice.
        self._other: dict[int, str] = {}
        """Names on the disk that are not the delivered paths."""
        self.paths = Texts.of(self._take(f) for f in files)

    def _take(self, file: Selected) -> str:
        if file.disk != file.path:
            self._other[len(self.sizes)] = file.disk
        self.sizes.append(file.size)
        self._modes.append(file.executable)
        self._rules.append(file.rule)
        self.stamps.extend(file.stamp)
        return file.path

    def __len__(self) -> int:
        return len(self.sizes)

    @overload
    def __getitem__(self, index: int) -> Selected: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Selected]: ...
    def __getitem__(self, index: int | slice) -> Selected | Sequence[Selected]:
        if isinstance(index, slice):
            return [self[i] for i in range(*index.indices(len(self)))]
        index = range(len(self))[index]
        a, b, c, d = self.stamps[4 * index : 4 * index + 4]
        path = self.paths[index]
        disk = self._other.get(index, path)
        return Selected(path, disk, self.sizes[index], bool(self._modes[index]), (a, b, c, d), self._rules[index])

    @property
    def size(self) -> int:
        """Bytes of all of them."""
        return sum(self.sizes)

    def take(self, order: Iterable[int]) -> SelectedFiles:
        return SelectedFiles(self[i] for i in order)

    def has_folder(self, folder: str) -> bool:
        """Whether any file lies below this folder."""
        # Sorted by bytes, a folder's files lie together: the first that is not below the folder's name tells.
        below = f"{folder}/".encode()
        at = bisect_left(range(len(self)), below, key=self.paths.raw)
        return at < len(self) and self.paths.raw(at).startswith(below)

    def disk(self, path: str) -> str:
        """What the folder calls a delivered path. Raises `KeyError`."""
        at = self.paths.find(path)
        if at < 0:
            raise KeyError(path)
        return self._other.get(at, path)


class Sources(Mapping[str, Path]):
    """Delivered path -> the file that holds it."""

    def __init__(self, root: Path, files: SelectedFiles) -> None:
        self._root, self._files = root, files

    def __getitem__(self, path: str) -> Path:
        return self._root / self._files.disk(path)

    def __len__(self) -> int:
        return len(self._files)

    def __iter__(self) -> Iterator[str]:
        return iter(self._files.paths)
