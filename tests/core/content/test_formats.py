"""Packs, manifests, locations: read back whole, the same bytes for the same content, and hostile bytes are refused."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import cbor2
import pytest
import zstandard
from blake3 import blake3
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.manifest import manifest
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack import pack
from rampa.core.content.pack.compression import Packing, read_rule
from rampa.core.content.pack.opening import open_pieces
from rampa.core.content.pack.places import ChunkPlaces, FramePlace
from rampa.core.content.patch import locations
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.locations import Locations
from rampa.core.content.patch.pairs import Region
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.tree import Chunk, FileEntry, LinkEntry, Tree
from rampa.core.errors import Damaged
from tests.refusals import refuses
from tests.samples import noise, words


def chunk(data: bytes) -> Chunk:
    return Chunk(blake3(data).digest(), len(data))


def make_pack(groups: list[list[bytes]]) -> bytes:
    writer = pack.PackWriter()
    for group in groups:
        writer.add([chunk(c) for c in group], pack.compress(b"".join(group)))
    return writer.finish()


GROUPS = [[words(50_000), noise(20_000)], [noise(70_000, 2)], [b"x"]]


def file(path: str, *contents: bytes, executable: bool = False) -> FileEntry:
    whole = b"".join(contents)
    return FileEntry(path, len(whole), executable, blake3(whole).digest(), tuple(chunk(c) for c in contents))


TREE = Tree(
    (
        file("bin/peatlight", b"run", executable=True),
        file("data/bog.arc", b"a" * 99, b"b" * 50, b"a" * 99),
        file("data/none"),
    ),
    (LinkEntry("bin/start", "peatlight"),),
)


def test_a_pack_reads_back() -> None:
    data = make_pack(GROUPS)
    frames = pack.read_index(data, len(data))
    assert [[c.size for c in f.chunks] for f in frames] == [[50_000, 20_000], [70_000], [1]]
    for frame in frames:
        pack.verify_chunks(frame, open_pieces(data[frame.offset : frame.offset + frame.stored], frame.raw))


@pytest.mark.skipif(not shutil.which("zstd"), reason="the zstd program is not installed")
def test_the_zstd_program_reads_a_pack(tmp_path: Path) -> None:
    (tmp_path / "one.pack").write_bytes(make_pack(GROUPS))
    done = subprocess.run(["zstd", "-d", "-q", "-c", tmp_path / "one.pack"], capture_output=True, check=True)
    assert done.stdout == b"".join(c for g in GROUPS for c in g)


def test_what_does_not_compress_costs_next_to_nothing() -> None:
    assert len(pack.compress(noise(1_000_000))) < 1_000_100


@given(st.data())
def test_a_damaged_pack_never_passes(data: st.DataObject) -> None:
    good = make_pack([[b"lantern" * 30], [b"wagon" * 40]])
    at = data.draw(st.integers(0, len(good) - 1))
    bad = bytearray(good)
    bad[at] ^= data.draw(st.integers(1, 255))
    try:
        frames = pack.read_index(bytes(bad), len(bad))
        for frame in frames:
            pack.verify_chunks(frame, open_pieces(bytes(bad[frame.offset : frame.offset + frame.stored]), frame.raw))
    except Damaged:
        return
    whole = pack.read_index(good, len(good))
    assert [f.chunks for f in frames] == [f.chunks for f in whole], "a flipped bit may only sit where nothing is read"


@given(st.binary(max_size=300))
def test_noise_is_no_pack(data: bytes) -> None:
    with refuses("pack.damaged"):
        pack.read_index(data, len(data))
    with refuses("pack.damaged"):
        pack.read_index(data + pack.TAIL, len(data) + 8)


def test_a_manifest_reads_back_and_is_the_same_twice() -> None:
    encoded = manifest.encode(Manifest("base", TREE, DEFAULT))
    assert manifest.decode(encoded) == Manifest("base", TREE, DEFAULT)
    assert manifest.encode(manifest.decode(encoded)) == encoded


def edited(change: Callable[[dict], None]) -> bytes:
    body = cbor2.loads(zstandard.ZstdDecompressor().decompress(manifest.encode(Manifest("base", TREE, DEFAULT))))
    change(body)
    return zstandard.ZstdCompressor().compress(cbor2.dumps(body))


HOSTILE: dict[str, Callable[[dict], object]] = {
    "climbs out": lambda b: b["files"]["path"].__setitem__(0, "../bin/peatlight"),
    "absolute": lambda b: b["files"]["path"].__setitem__(0, "/bin/peatlight"),
    "backslash": lambda b: b["files"]["path"].__setitem__(0, "bin\\peatlight"),
    "not sorted": lambda b: b["files"]["path"].reverse(),
    "twice": lambda b: b["files"]["path"].__setitem__(1, "bin/peatlight"),
    "below a file": lambda b: b["files"]["path"].__setitem__(1, "bin/peatlight/x"),
    "link leaves": lambda b: b["links"]["target"].__setitem__(0, "../../etc/passwd"),
    "link absolute": lambda b: b["links"]["target"].__setitem__(0, "/etc/passwd"),
    "link over a file": lambda b: b["links"]["path"].__setitem__(0, "data/bog.arc"),
    "below a link": lambda b: b["links"]["path"].__setitem__(0, "data"),
    "size is not the chunks'": lambda b: b["files"]["size"].__setitem__(0, 4),
    "chunk number": lambda b: b["files"]["chunk"].__setitem__(0, 99),
    "negative count": lambda b: b["files"]["chunks"].__setitem__(0, -1),
    "chunk of no size": lambda b: b["chunks"]["size"].__setitem__(0, 0),
    "digest missing": lambda b: b["chunks"].__setitem__("digest", b""),
    "another version": lambda b: b.__setitem__("version", 2),
    "another thing": lambda b: b.__setitem__("format", "rampa-pack"),
    "no files": lambda b: b.pop("files"),
    "path is a number": lambda b: b["files"]["path"].__setitem__(0, 7),
    "absurd cut": lambda b: b["cut"].__setitem__("max", 2**40),
}


OTHERWISE = {"another version": "manifest.version"} | dict.fromkeys(
    ["not sorted", "twice", "below a file", "link over a file", "below a link"], "tree.damaged"
)
"""What is not simply a damaged manifest."""


@pytest.mark.parametrize("what", HOSTILE)
def test_a_hostile_manifest_is_refused(what: str) -> None:
    with refuses(OTHERWISE.get(what, "manifest.damaged")):
        manifest.decode(edited(HOSTILE[what]))  # type: ignore[arg-type]


@given(st.binary(max_size=200))
def test_noise_is_no_manifest_and_no_locations(data: bytes) -> None:
    for hostile in (data, zstandard.ZstdCompressor().compress(data)):
        with refuses("manifest.damaged"):
            manifest.decode(hostile)
        with refuses("locations.damaged"):
            locations.decode(hostile, Tree())


@pytest.mark.slow
def test_a_manifest_that_claims_to_be_huge_is_refused_before_memory_is_taken() -> None:
    bomb = zstandard.ZstdCompressor(level=19).compress(bytes(manifest.MAX_RAW + 1))
    with refuses("manifest.damaged"):
        manifest.decode(bomb)


def test_locations_read_back() -> None:
    frame = FramePlace(bytes(32), 10, 20, 30)
    chunks = (Chunk(b"a" * 32, 15), Chunk(b"b" * 32, 15))
    tree = Tree((FileEntry("wagon", 30, False, bytes(32), chunks),))
    old = Tree((FileEntry("cart", 900, False, bytes(32), (Chunk(b"c" * 32, 900),)),))
    made = DifferencePlace(b"p" * 32, 5, 70, b"d" * 32, (Region("cart", 100, 800),), chunks)
    found = Locations(
        ChunkPlaces.of({c.digest: (frame, at) for c, at in zip(chunks, (0, 15), strict=True)}), (made,), 3
    )
    assert locations.decode(locations.encode(found, tree, old), tree, old) == found
    assert locations.decode(locations.encode(found, tree, old), tree).differences == ()


@pytest.mark.parametrize("rule", ["0", "1", "9", "19", "19 long", "3 long", "stored"])
def test_every_packing_gives_back_what_went_in(rule: str) -> None:
    data = b"lantern wagon fog sluice " * 14000
    packing = read_rule(rule)
    assert packing
    stored = pack.compress(data, packing)
    assert (len(stored) > len(data)) == (rule == "stored")
    assert pack.decompress(stored, len(data)) == data


def test_a_higher_level_packs_smaller() -> None:
    data = "".join(f"wagon {n * n % 977} at {n % 13}; " for n in range(9000)).encode()
    sizes = [len(pack.compress(data, Packing(level))) for level in (0, 3, 19)]
    assert sizes == sorted(sizes, reverse=True)


def test_locations_of_another_version_are_not_guessed_at() -> None:
    body = {"format": locations.FORMAT, "version": locations.VERSION + 1}
    with refuses("locations.version"):
        locations.decode(zstandard.ZstdCompressor().compress(cbor2.dumps(body)), Tree())
