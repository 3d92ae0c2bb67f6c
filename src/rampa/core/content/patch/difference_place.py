"""Where a difference lies, what it starts from, and what it makes."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import accumulate

from rampa.core.content.patch.pairs import Region
from rampa.core.content.tree.tree import Chunk, Tree

Source = tuple[bytes, int]
"""The pack in which a difference lies, and where it begins there: no two have the same."""


@dataclass(frozen=True, slots=True)
class MadeRegion:
    """`size` bytes at `offset` of what another difference makes: the one that begins at `start` of `pack`."""

    pack: bytes
    start: int
    offset: int
    size: int

    @property
    def source(self) -> Source:
        return self.pack, self.start


@dataclass(frozen=True, slots=True)
class DifferencePlace:
    """A difference in a pack of differences: it makes the chunks `new`, which begin at `at` of its content, of the pieces `old`,
    whose joined content has the digest `old_digest` (BLAKE3).

    `size`: the bytes that it makes, where that is more than its chunks. `dense`: only readers of version 2 of the format read it.
    """

    pack: bytes
    offset: int
    stored: int
    old_digest: bytes
    old: tuple[Region | MadeRegion, ...]
    new: tuple[Chunk, ...]
    at: tuple[int, ...] = ()
    """Without any, the chunks lie one behind the other, and are all that it makes."""
    size: int = 0
    dense: bool = False

    def moved(self, offset: int) -> DifferencePlace:
        return replace(self, offset=offset)

    def within(self, pack: bytes) -> DifferencePlace:
        return replace(self, pack=pack)

    @property
    def source(self) -> Source:
        """What a `MadeRegion` knows it by."""
        return self.pack, self.offset

    @property
    def new_size(self) -> int:
        return self.size or sum(c.size for c in self.new)

    @property
    def starts(self) -> tuple[int, ...]:
        """Where each of `new` begins."""
        return self.at or tuple(accumulate((c.size for c in self.new[:-1]), initial=0)) if self.new else ()

    @property
    def sources(self) -> set[Source]:
        """The differences that make what it starts from."""
        return {r.source for r in self.old if isinstance(r, MadeRegion)}

    @property
    def plain(self) -> bool:
        """Whether readers of the first kind of differences can use it."""
        return not (self.dense or self.size or self.sources)


def fitting(places: Iterable[DifferencePlace], new: Tree, installed: Tree, meant: Tree) -> tuple[DifferencePlace, ...]:
    """Those that a device can use that has `installed` and gets `new`: they were made against `meant`, whole."""
    kept: dict[Source, DifferencePlace] = {}
    for place in places:
        # Where it has another file, or what a difference starts from was not made, it cannot use them.
        starts = all(
            r.source in kept if isinstance(r, MadeRegion) else _same(r.path, installed, meant) for r in place.old
        )
        if starts and all(c.digest in new.chunks.digests for c in place.new):
            kept[place.source] = place
    return tuple(kept.values())


def _same(path: str, installed: Tree, meant: Tree) -> bool:
    there, at_first = installed.files.find(path), meant.files.find(path)
    return there is not None and at_first is not None and there.digest == at_first.digest
