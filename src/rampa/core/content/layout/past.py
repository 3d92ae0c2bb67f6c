"""Content that only past builds have, laid out to be small: versions of one place of one file lie side by side in a frame.

Nobody installs or updates to these builds as a rule, so a frame may hold much that is not wanted; 8 MiB, as frames for long
distances have, which every device opens.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from rampa.core import parallel
from rampa.core.content.layout.order import ending_of
from rampa.core.content.pack import lzma2
from rampa.core.content.pack.new_frame import NewFrame
from rampa.core.content.pack.pack import LONG_TARGET
from rampa.core.content.tree.columns import view
from rampa.core.content.tree.regions import uses_of
from rampa.core.content.tree.tree import Chunk, Tree

BAND = 256 * 1024
"""Bytes of a file whose versions lie together: fewer lose what comes before, more put the versions too far apart."""
PRESET = 6
"""Of liblzma: a tenth smaller than zstd at level 19, and made sooner."""


def order_past(trees: Iterable[Tree], past: set[bytes]) -> list[Chunk]:
    """The chunks `past`, each once; `trees` in the order of their builds."""
    rows: dict[bytes, tuple[tuple[str, str, int, int, int], Chunk]] = {}
    for number, tree in enumerate(trees):
        files, offsets = uses_of(tree)
        for use, chunk_number in enumerate(view(tree.files.numbers).tolist()):
            digest = tree.chunks.digests[chunk_number]
            if digest in past and digest not in rows:
                path, offset = tree.files.paths[int(files[use])], int(offsets[use])
                key = (ending_of(path), path, offset // BAND, number, offset)
                rows[digest] = key, tree.chunks[chunk_number]
    return [chunk for _, chunk in sorted(rows.values(), key=lambda row: row[0])]


def make_past(
    chunks: Iterable[Chunk], read: Callable[[Chunk], bytes], workers: int = parallel.WORKERS
) -> Iterator[NewFrame]:
    """In their order. The same chunks give the same frames."""
    with parallel.pool(workers) as threads:
        yield from parallel.in_order(threads, _pack, _frames(chunks, read), ahead=workers)


def _frames(chunks: Iterable[Chunk], read: Callable[[Chunk], bytes]) -> Iterator[tuple[list[Chunk], bytes]]:
    group: list[Chunk] = []
    parts: list[bytes] = []
    size = 0
    for chunk in chunks:
        if group and size + chunk.size > LONG_TARGET:
            yield group, b"".join(parts)
            group, parts, size = [], [], 0
        group.append(chunk)
        parts.append(read(chunk))
        size += chunk.size
    if group:
        yield group, b"".join(parts)


def _pack(made: tuple[list[Chunk], bytes]) -> NewFrame:
    chunks, raw = made
    # Not as for players: versions of noise resemble each other though each by itself does not pack.
    return NewFrame(chunks, lzma2.compress(raw, PRESET), len(raw))
