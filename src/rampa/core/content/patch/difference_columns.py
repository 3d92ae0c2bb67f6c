"""Differences in locations, as columns: docs/formats.md. Whatever is read is checked against the build and its base."""

from __future__ import annotations

from typing import Any

import numpy as np

from rampa.core.content.patch.difference_place import DifferencePlace, MadeRegion
from rampa.core.content.patch.pairs import Region
from rampa.core.content.tree.cbor_reader import Document, ItemKind
from rampa.core.content.tree.columns import DIGEST_SIZE, Digests, Numbers
from rampa.core.content.tree.tree import Chunks, Tree
from rampa.core.errors import Damaged

OLD_COLUMNS: Document = {
    "digest": ItemKind.BYTES,
    **dict.fromkeys(
        ("pack", "offset", "stored", "regions", "file", "from", "size", "chunks", "chunk"), ItemKind.NUMBERS
    ),
}
COLUMNS: Document = {**OLD_COLUMNS, **dict.fromkeys(("dense", "made", "maker", "at"), ItemKind.NUMBERS)}
SPAN_LIMIT = 64 * 1024 * 1024
"""Bytes of content on either side of a difference."""


def deltas(numbers: Numbers) -> list[int]:
    out: list[int] = np.diff(numbers, prepend=0).tolist()
    return out


def encode(
    rows: tuple[DifferencePlace, ...], packs: dict[bytes, int], new: Tree, old: Tree | None, *, old_kind: bool
) -> dict[str, Any]:
    """`old_kind`: every one is `plain`. What a piece is made by comes before it in `rows`."""
    regions = [r for d in rows for r in d.old]
    body = {
        "pack": [packs[d.pack] for d in rows],
        "offset": [d.offset for d in rows],
        "stored": [d.stored for d in rows],
        "digest": b"".join(d.old_digest for d in rows),
        "regions": [len(d.old) for d in rows],
        "file": [_file(r, old or Tree()) for r in regions],
        "from": [r.offset for r in regions],
        "size": [r.size for r in regions],
        "chunks": [len(d.new) for d in rows],
        "chunk": deltas(new.chunks.digests.find_all(Digests.of(c.digest for d in rows for c in d.new))),
    }
    if old_kind:
        return body
    numbers = {d.source: i for i, d in enumerate(rows, 1)}
    return body | {
        "dense": [int(d.dense) for d in rows],
        "made": [d.size for d in rows],
        # 0: a file of the base; else which of the differences makes it, counted from 1.
        "maker": [numbers[r.source] if isinstance(r, MadeRegion) else 0 for r in regions],
        # Only of those whose chunks do not lie one behind the other.
        "at": [at for d in rows if d.size for at in d.starts],
    }


def _file(region: Region | MadeRegion, old: Tree) -> int:
    return 0 if isinstance(region, MadeRegion) else old.files.paths.find(region.path)


def decode(columns: dict[str, Any], packs: list[bytes], known: Chunks, old: Tree) -> tuple[DifferencePlace, ...]:
    """Raises `Damaged`."""
    count = len(columns["pack"])
    nothing = np.zeros(max(count, len(columns["file"])), np.int64)
    more = {name: columns.get(name, nothing) for name in ("dense", "made", "maker")}
    regions = iter(_rows(columns["file"], columns["from"], columns["size"], more["maker"][: len(columns["file"])]))
    chunks, at = iter(np.cumsum(columns["chunk"]).tolist()), iter(columns.get("at", nothing[:0]).tolist())
    names = ("pack", "offset", "stored", "regions", "chunks")
    rows = zip(
        *(columns[n].tolist() for n in names), *(more[n].tolist()[:count] for n in ("dense", "made")), strict=True
    )
    out: list[DifferencePlace] = []
    for i, (pack, offset, stored, region_count, chunk_count, dense, made) in enumerate(rows):
        if not 0 <= pack < len(packs) or not 0 <= made <= SPAN_LIMIT:
            raise _damaged("names a pack that is not listed, or makes an impossible size")
        place = DifferencePlace(
            packs[pack],
            offset,
            stored,
            bytes(columns["digest"][i * DIGEST_SIZE : (i + 1) * DIGEST_SIZE]),
            tuple(_region(*next(regions), old, out) for _ in range(region_count)),
            tuple(_chunk(next(chunks), known) for _ in range(chunk_count)),
            tuple(next(at) for _ in range(chunk_count)) if made else (),
            made,
            bool(dense),
        )
        _must_be_possible(place)
        out.append(place)
    return tuple(out)


def _rows(*columns: Numbers) -> list[tuple[int, int, int, int]]:
    return list(zip(*(c.tolist() for c in columns), strict=True))


def _must_be_possible(place: DifferencePlace) -> None:
    if sum(r.size for r in place.old) > SPAN_LIMIT or not 0 < place.new_size <= SPAN_LIMIT or place.offset < 0:
        raise _damaged("spans an impossible size")
    if not 0 < place.stored <= 2 * SPAN_LIMIT:
        raise _damaged("has an impossible size")
    if any(not 0 <= a <= place.new_size - c.size for a, c in zip(place.starts, place.new, strict=True)):
        raise _damaged("makes a chunk outside of what it makes")


def _chunk(number: int, known: Chunks) -> Any:
    if not 0 <= number < len(known):
        raise _damaged("makes a chunk that is not there")
    return known[number]


def _region(
    file: int, offset: int, size: int, maker: int, old: Tree, before: list[DifferencePlace]
) -> Region | MadeRegion:
    if maker:
        # Only of those before it: whatever a stranger writes, nothing is made of itself.
        if not 1 <= maker <= len(before) or not (offset >= 0 and 0 < size <= before[maker - 1].new_size - offset):
            raise _damaged("starts from what no difference before it makes")
        return MadeRegion(*before[maker - 1].source, offset, size)
    files = old.files
    if not (0 <= file < len(files) and offset >= 0 and size > 0 and offset + size <= files.sizes[file]):
        raise _damaged("starts from a place that is not there")
    return Region(files.paths[file], offset, size)


def _damaged(what: str) -> Damaged:
    return Damaged("locations.damaged", f"a difference {what}")
