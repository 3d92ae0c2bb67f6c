"""Some kilobytes of manifest, locations or pack that take a gigabyte of memory, or half a gigabyte of unpacking.

Before: a manifest of 2.2 kB took 1.56 GB (a general reader makes an object of each item), and a pack of 17 kB had the service
unpack and hash 512 MiB.
"""

from __future__ import annotations

import tracemalloc
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import cbor2
import pytest
import zstandard
from blake3 import blake3

from rampa.core.content.manifest import manifest
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack import pack
from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.writer import make_packs
from rampa.core.content.patch import locations
from rampa.core.content.patch.locations import Locations
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.content.tree.cbor_reader import MOST_TEXTS
from rampa.core.content.tree.inflation import RATIO, SMALL
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from tests.refusals import refuses

TREE = Tree((FileEntry("bog", 3, False, blake3(b"bog").digest(), (Chunk(blake3(b"bog").digest(), 3),)),))
MANIFEST = cbor2.loads(manifest.unpack(manifest.encode(Manifest("base", TREE, DEFAULT))))
PLACES = cbor2.loads(zstandard.ZstdDecompressor().decompress(locations.encode(Locations(locations.NO_PLACES), TREE)))
BEARABLE = 100 * 1024 * 1024


def packed(body: object) -> bytes:
    raw = body if isinstance(body, bytes) else cbor2.dumps(body, canonical=True)
    return zstandard.ZstdCompressor(level=19).compress(raw)


@contextmanager
def little_memory() -> Iterator[None]:
    tracemalloc.start()
    try:
        yield
        assert tracemalloc.get_traced_memory()[1] < BEARABLE
    finally:
        tracemalloc.stop()


def in_place(body: dict[str, object], path: tuple[str, ...], value: bytes) -> bytes:
    """The document with these raw bytes where a value was: what no writer would write."""
    mark = b"here-it-is"

    def with_mark(at: object, left: tuple[str, ...]) -> object:
        if not left:
            return mark
        assert isinstance(at, dict)
        return at | {left[0]: with_mark(at[left[0]], left[1:])}

    return cbor2.dumps(with_mark(body, path), canonical=True).replace(cbor2.dumps(mark), value)


def a_list(item: bytes, count: int) -> bytes:
    return b"\x9a" + count.to_bytes(4, "big") + item * count


NESTED, EMPTY, DEEP = a_list(b"\x80", 2_000_000), a_list(b"\x60", 2_000_000), b"\x81" * 2_000_000 + b"\x00"
BOMBS: dict[str, Callable[[], bytes]] = {
    "a list of empty lists": lambda: in_place(MANIFEST, ("files", "chunk"), NESTED),
    "lists in lists": lambda: in_place(MANIFEST, ("files", "exec"), DEEP),
    "player files in two million lists": lambda: in_place(
        MANIFEST | {"files": MANIFEST["files"] | {"player": []}}, ("files", "player"), NESTED
    ),
    "empty paths": lambda: in_place(MANIFEST, ("files", "path"), EMPTY),
    "links": lambda: in_place(MANIFEST, ("links", "path"), EMPTY),
    "a list that is longer than the document": lambda: in_place(MANIFEST, ("files", "size"), b"\x9b" + b"\x7f" * 8),
    "a text of any length": lambda: in_place(MANIFEST, ("depot",), b"\x7b" + b"\x7f" * 8),
    "zeros": lambda: bytes(SMALL),
}


@pytest.mark.parametrize("what", BOMBS)
def test_a_manifest(what: str) -> None:
    data = packed(BOMBS[what]())
    assert len(data) < 5_000
    with little_memory(), refuses("manifest.damaged"):
        manifest.decode(data)


def test_a_manifest_is_some_times_its_packed_size() -> None:
    data = packed(bytes(SMALL + RATIO * 5_000))
    assert len(data) < 5_000
    with little_memory(), refuses("manifest.damaged"):
        manifest.decode(data)


def test_links_are_counted() -> None:
    body = MANIFEST | {
        "links": {"path": [f"l{n}" for n in range(MOST_TEXTS + 1)], "target": ["bog"] * (MOST_TEXTS + 1)}
    }
    with refuses("manifest.damaged"):
        manifest.decode(packed(body))


@pytest.mark.parametrize(
    ("path", "value", "code"),
    [
        (("frames", "pack"), NESTED, "locations.damaged"),
        (("frames", "offset"), a_list(b"\x00", 2_000_000), "locations.damaged"),
        (("keys",), a_list(b"\x40", 2_000_000), "locations.damaged"),
        (("differences", "file"), a_list(b"\x00", 2_000_000), "locations.damaged"),
        (("differences", "chunk"), a_list(b"\x00", 2_000_000), "locations.damaged"),
    ],
)
def test_locations_hold_no_more_than_the_build_needs(path: tuple[str, ...], value: bytes, code: str) -> None:
    """They are not signed: whoever delivers a build to a device can write them."""
    data = packed(in_place(PLACES, path, value))
    assert len(data) < 5_000
    with little_memory(), refuses(code):
        locations.decode(data, TREE, TREE)


def test_a_pack_s_index() -> None:
    index = packed(in_place({"stored": [], "chunks": [], "size": [], "digest": b""}, ("size",), NESTED))
    tail = index + len(index).to_bytes(4, "little") + pack.TAIL
    data = pack.SKIPPABLE.to_bytes(4, "little") + len(tail).to_bytes(4, "little") + tail
    with little_memory(), refuses("pack.damaged"):
        pack.read_index(data, len(data))


def test_a_pack_of_kilobytes_that_unpacks_to_gigabytes() -> None:
    content = bytes(16 * 1024 * 1024)
    chunk, stored = Chunk(blake3(content).digest(), len(content)), pack.compress(content)
    writer = pack.PackWriter()
    for _ in range(32):
        writer.add([chunk], stored)
    data = writer.finish()
    assert len(data) < 64_000
    with refuses("pack.damaged", "unpacks to more than"):
        pack.read_index(data, len(data))


def test_our_own_packs_stay_below_it_however_well_their_content_packs(tmp_path: Path) -> None:
    for n in range(3):
        line = f"wagon {n} of the night train, lantern lit. ".encode()
        (tmp_path / f"{n}.txt").write_bytes(b"".join(line + f"{i:08}\n".encode() for i in range(700_000)))
    chosen = select(tmp_path, ContentRules((Pattern("*", "all"),), ()))
    tree = read_tree(chosen)
    made = list(make_packs(chosen.sources, places(tree)))
    assert len(made) >= 2, "a pack is closed by what it unpacks to"
    for one in made:
        frames = pack.read_index(one.data, len(one.data))
        assert sum(f.raw for f in frames) == one.content_size <= pack.RAW_LIMIT
