"""What is measured of ours: the product's own functions, with the store's checks and syncs left where they are."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from blake3 import blake3
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core import parallel
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack import pack as pack_format
from rampa.core.content.pack.places import ChunkPlaces, PlacesBuilder
from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.writer import make_packs
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch import manifest_difference
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.locations import NO_PLACES, Locations
from rampa.core.content.patch.sets import MadeSet, make_set, missing_chunks
from rampa.core.content.scan.files import read_tree
from rampa.core.content.scan.folder_index import FolderIndex
from rampa.core.content.select.selection import ContentRules, Pattern, Selection, select
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.content.tree.tree import Tree
from rampa.core.install.install import Installation
from rampa.core.install.plan import UpdatePlan, plan_update
from rampa.core.signing.statement import DepotLine, Statement, sign
from rampa.system import CLOCK

ALL = ContentRules((Pattern("*", "all"),), ())
KEY = Ed25519PrivateKey.from_private_bytes(bytes(32))


@dataclass
class Packed:
    """A release's packs in a folder, its manifest, and where its chunks lie: a delivery for the installer."""

    folder: Path
    tree: Tree
    encoded: bytes
    where: ChunkPlaces
    stored: int = 0
    seconds: float = 0.0
    before: Packed | None = None
    differences: tuple[DifferencePlace, ...] = ()
    delivery: ChunkPlaces = field(default_factory=lambda: NO_PLACES)
    price: int = 0

    def manifest(self, digest: bytes) -> bytes:
        return self.encoded

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return manifest_difference.make(self.before.encoded, self.encoded) if self.before else b""

    def locations(self, depots: object = (), base: int = 0, base_depots: object = ()) -> bytes:
        old = self.before.tree if self.before and base else None
        return locations_format.encode(self.located(base), self.tree, old)

    def located(self, base: int = 0) -> Locations:
        if not base or not self.before:
            return Locations(self.where, delivery=self.delivery, price=self.price)
        missing = missing_chunks(self.before.tree, self.tree).digests
        where, delivery = (_only(places, missing) for places in (self.where, self.delivery))
        return Locations(where, self.differences, base, delivery, self.price)

    def keys(self) -> dict[bytes, bytes]:
        return {}

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return _read(self.folder, pack, offset, size)

    def statement(self, number: int) -> bytes:
        return _statement(self.encoded, number)

    def fresh_plan(self) -> UpdatePlan:
        """Of a device that has nothing."""
        return plan_update(self.tree, LocalContent(), self.located())

    def fresh_bytes(self) -> int:
        """All that travels to it."""
        return self.fresh_plan().download + len(self.encoded) + len(self.locations()) + len(self.statement(1))

    def update_bytes(self) -> int:
        """All that travels to a device that has the release before: the device's own plan, and its papers."""
        assert self.before
        plan = plan_update(self.tree, local_content(self.before.tree), self.located(1))
        manifest = self.manifest_difference(b"", b"") or self.encoded
        return plan.download + len(manifest) + len(self.locations((), 1)) + len(self.statement(2))


@dataclass(frozen=True)
class Folder:
    """The same delivery out of a folder that another process packed."""

    folder: Path

    def manifest(self, digest: bytes) -> bytes:
        return (self.folder / "base.manifest").read_bytes()

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return b""

    def locations(self, depots: object = (), base: int = 0, base_depots: object = ()) -> bytes:
        return (self.folder / "locations").read_bytes()

    def keys(self) -> dict[bytes, bytes]:
        return {}

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return _read(self.folder, pack, offset, size)

    def statement(self) -> bytes:
        return _statement(self.manifest(b""), 1)


def _only(places: ChunkPlaces, wanted: Digests) -> ChunkPlaces:
    return ChunkPlaces.of({d: places[d] for d in wanted if d in places})


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
    before_ = before.where if before else NO_PLACES
    new = tree.chunks.digests.take(np.flatnonzero(before_.digests.find_all(tree.chunks.digests) < 0))
    folder.mkdir(parents=True, exist_ok=True)
    stored, where = _write_packs(selection, tree, new, folder, before_)
    encoded = manifest_format.encode(Manifest("base", tree, DEFAULT))
    (folder / "base.manifest").write_bytes(encoded)
    return Packed(folder, tree, encoded, where, stored + len(encoded), time.perf_counter() - started, before)


def _write_packs(
    selection: Selection, tree: Tree, new: Digests, folder: Path, before: ChunkPlaces
) -> tuple[int, ChunkPlaces]:
    stored, found = 0, PlacesBuilder(before)
    for made in make_packs(selection.sources, places(tree, new)):
        digest = blake3(made.data).digest()
        (folder / f"{digest.hex()}.pack").write_bytes(made.data)
        stored += len(made.data)
        found.add_pack(digest, pack_format.read_index(made.data, len(made.data)))
    return stored, found.places()


def installation(root: Path, threads: int = parallel.WORKERS) -> Installation:
    return Installation(root, "bench", KEY.public_key().public_bytes_raw(), clock=CLOCK, threads=threads)


def install_seconds(packed: Packed, root: Path) -> float:
    """A fresh, verified install, without counting the sync to disk that the peers do not do."""
    shutil.rmtree(root, ignore_errors=True)
    statement = packed.statement(1)
    started = time.perf_counter()
    installation(root).update(statement, packed)
    return time.perf_counter() - started


def prepare(new: Packed, sources: tuple[Path, Path]) -> MadeSet:
    """Makes the differences of the update, verified, as the service does in the background; `sources` are both trees."""
    assert new.before
    payloads: list[bytes] = []
    whole = Locations(new.where)
    made = make_set(
        new.before.tree, new.tree, reader(sources[0]), reader(sources[1]), whole, payloads.append, clock=CLOCK
    )
    joined = b"".join(payloads)
    digest = blake3(joined).digest()
    (new.folder / f"{digest.hex()}.pack").write_bytes(joined)
    new.differences = tuple(p.within(digest) for p in made.places)
    return made


def reader(root: Path) -> Callable[[str, int, int], bytes]:
    def read(path: str, offset: int, size: int) -> bytes:
        with (root / path).open("rb", buffering=0) as stream:
            stream.seek(offset)
            return stream.read(size)

    return read
