"""Trees of several: checked, put together."""

from __future__ import annotations

from array import array
from collections.abc import Iterable
from itertools import pairwise

import numpy as np

from rampa.core.content.tree.columns import Digests, column, view
from rampa.core.content.tree.links import leading_out
from rampa.core.content.tree.paths import printable
from rampa.core.content.tree.tree import Chunks, Files, Tree, by_first_use
from rampa.core.errors import Damaged


def check_tree(tree: Tree) -> Tree:
    """Returns a tree that can be written: sorted, no path twice, nothing below a file or a link. Raises `Damaged`."""
    links = [k.path for k in tree.links]
    sorted_ = all(a < b for a, b in pairwise(links))
    if tree.files.paths.order() is not None or not sorted_:
        raise Damaged("tree.damaged", "the paths are not sorted, or one stands twice")
    linked, folders = set(links), set()
    for path in (*links, *tree.files.paths):
        folder = path.rpartition("/")[0]
        # Up to the first folder that is known: a deep tree is walked once, not once a file.
        while folder and folder not in folders:
            folders.add(folder)
            folder = folder.rpartition("/")[0]
    for path in tree.files.paths:
        if path in linked:
            raise Damaged("tree.damaged", "a path is both a file and a link", where=printable(path))
        if path in folders:
            raise Damaged("tree.damaged", "a path lies below a file or a link", where=printable(path))
    if folders & linked:
        where = printable(min(folders & linked))
        raise Damaged("tree.damaged", "a path lies below a file or a link", where=where)
    # Each link was looked at by itself when it was read; through another one its steps up can lead out.
    for path in leading_out({k.path: k.target for k in tree.links}):
        raise Damaged("tree.link", "this link leads out of the build, or in a circle", where=printable(path))
    return tree


def merge(trees: Iterable[Tree]) -> Tree:
    """The tree that several depots make together. Raises `Damaged` when two deliver the same path."""
    given = list(trees)
    links = sorted((k for t in given for k in t.links), key=lambda k: k.path)
    # Most builds have one depot: its files are neither put together nor sorted again, only checked.
    if len(given) == 1:
        return check_tree(given[0])
    files = joined([t.files for t in given])
    order = files.paths.order()
    return check_tree(Tree(files if order is None else files.take(order), links))


def joined(parts: list[Files]) -> Files:
    """One behind the other, not sorted."""
    if not parts:
        return Tree().files
    paths, modes, digests, table = parts[0].paths, parts[0].modes, parts[0].digests, parts[0].chunks.digests
    sizes, chunk_sizes = parts[0].sizes[:], parts[0].chunks.sizes[:]
    ends, numbers = [view(parts[0].ends)], [view(parts[0].numbers).astype(np.int64)]
    for more in parts[1:]:
        paths, modes, digests = paths + more.paths, modes + more.modes, digests + more.digests
        # Each tree counts its chunks from 0: those of the next come behind those of the ones before.
        numbers.append(view(more.numbers).astype(np.int64) + len(chunk_sizes))
        ends.append(view(more.ends) + np.uint64(sum(len(n) for n in numbers[:-1])))
        sizes, chunk_sizes = sizes + more.sizes, chunk_sizes + more.chunks.sizes
        table = Digests(table.joined + more.chunks.digests.joined)
    chunks, own_numbers = by_first_use(Chunks(table, chunk_sizes), np.concatenate(numbers))
    return Files(paths, sizes, modes, digests, _column(ends), own_numbers, chunks)


def _column(parts: list[np.ndarray]) -> array[int]:
    return column("Q", np.concatenate(parts))
