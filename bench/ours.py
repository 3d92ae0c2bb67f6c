"""What is measured of ours: the product's own functions, with the store's checks and syncs left where they are."""

from __future__ import annotations

import shutil
import time
from dataclasses import dataclass
from pathlib import Path

from blake3 import blake3
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.content import locations as locations_format
from rampa.core.content import manifest as manifest_format
from rampa.core.content import pack as pack_format
from rampa.core.content.folder_index import FolderIndex
from rampa.core.content.install import Installation
from rampa.core.content.locations import FramePlace, Locations
from rampa.core.content.manifest import Manifest
from rampa.core.content.packing import make_packs, places
from rampa.core.content.parameters import DEFAULT
from rampa.core.content.plan import Plan, local_content, plan_update
from rampa.core.content.reading import read_tree
from rampa.core.content.selecting import ContentRules, Pattern, Selection, select
from rampa.core.content.tree import Tree
from rampa.core.signing.statement import DepotLine, Statement, sign

ALL = ContentRules((Pattern("*", "all"),), ())
KEY = Ed25519PrivateKey.from_private_bytes(bytes(32))


@dataclass
class Packed:
    """A release's packs in a folder, its manifest, and where its chunks lie: a delivery for the installer."""

    folder: Path
    tree: Tree
    encoded: bytes
    where: dict[bytes, tuple[FramePlace, int]]
    stored: int = 0
    seconds: float = 0.0

    def manifest(self, digest: bytes) -> bytes:
        return self.encoded

    def locations(self) -> bytes:
        return locations_format.encode(Locations(self.where))

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return _read(self.folder, pack, offset, size)

    def statement(self, number: int) -> bytes:
        return _statement(self.encoded, number)


@dataclass(frozen=True)
class Folder:
    """The same delivery out of a folder that another process packed."""

    folder: Path

    def manifest(self, digest: bytes) -> bytes:
        return (self.folder / "base.manifest").read_bytes()

    def locations(self) -> bytes:
        return (self.folder / "locations").read_bytes()

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return _read(self.folder, pack, offset, size)

    def statement(self) -> bytes:
        return _statement(self.manifest(b""), 1)


def _read(folder: Path, pack: bytes, offset: int, size: int) -> bytes:
    with (folder / f"{pack.hex()}.pack").open("rb", buffering=0) as stream:
        stream.seek(offset)
        return stream.read(size)


def _statement(encoded: bytes, number: int) -> bytes:
    line = DepotLine("base", manifest_format.digest_of(encoded), len(encoded))
    launch = manifest_format.decode(encoded).tree.files[0].path
    return sign(Statement("bench", number, "p", "linux", "1.0.0", number, launch, (line,)), KEY)


def pack(source: Path, folder: Path, before: Packed | None = None, index: Path | None = None) -> Packed:
    """Select, read, cut, hash, compress what `before` does not have, write packs and manifest."""
    started = time.perf_counter()
    selection = select(source, ALL)
    known = FolderIndex(index, DEFAULT, time.time_ns()) if index else None
    tree = read_tree(selection, index=known)
    if known:
        known.save()
    where = dict(before.where) if before else {}
    new = {c.digest for f in tree.files for c in f.chunks if c.digest not in where}
    folder.mkdir(parents=True, exist_ok=True)
    stored = _write_packs(selection, tree, new, folder, where)
    encoded = manifest_format.encode(Manifest("base", tree, DEFAULT))
    (folder / "base.manifest").write_bytes(encoded)
    return Packed(folder, tree, encoded, where, stored + len(encoded), time.perf_counter() - started)


def _write_packs(
    selection: Selection, tree: Tree, new: set[bytes], folder: Path, where: dict[bytes, tuple[FramePlace, int]]
) -> int:
    sources = {f.path: selection.root / f.disk for f in selection.files}
    stored = 0
    for made in make_packs(sources, places(tree, new)):
        digest = blake3(made.data).digest()
        (folder / f"{digest.hex()}.pack").write_bytes(made.data)
        stored += len(made.data)
        for frame in pack_format.read_index(made.data, len(made.data)):
            at = 0
            for chunk in frame.chunks:
                where[chunk.digest] = (FramePlace(digest, frame.offset, frame.stored, frame.raw), at)
                at += chunk.size
    return stored


def installation(root: Path) -> Installation:
    return Installation(root, "bench", KEY.public_key().public_bytes_raw())


def install_seconds(packed: Packed, root: Path) -> float:
    """A fresh, verified install, without counting the sync to disk that the peers do not do."""
    shutil.rmtree(root, ignore_errors=True)
    statement = packed.statement(1)
    started = time.perf_counter()
    installation(root).update(statement, packed)
    return time.perf_counter() - started


def update_plan(old: Packed, new: Packed) -> Plan:
    return plan_update(new.tree, local_content(old.tree), Locations(new.where))
