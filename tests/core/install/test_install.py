"""Installing: to the byte what was planned, wholly or not at all, whatever happens on the way."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

import numpy as np
import pytest
from blake3 import blake3
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.content.layout.making import make_frames
from rampa.core.content.layout.order import order_of
from rampa.core.content.layout.past import make_past, order_past
from rampa.core.content.layout.ways import LZMA2, Way
from rampa.core.content.manifest import manifest
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack import pack
from rampa.core.content.pack.places import ChunkPlaces, PlacesBuilder
from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.writer import make_packs
from rampa.core.content.patch import locations, manifest_difference
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.locations import Locations
from rampa.core.content.patch.sets import MadeSet, make_set, missing_chunks
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.comparison import compare
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.regions import LocalContent, local_content
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Unavailable
from rampa.core.install.assembly import Assembly
from rampa.core.install.install import Installation
from rampa.core.install.plan import plan_update
from rampa.core.signing.statement import DepotLine, Statement, sign
from rampa.system import CLOCK
from tests.refusals import refuses
from tests.samples import change_folder, make_folder, noise

KEY = Ed25519PrivateKey.from_private_bytes(bytes(32))
TITLE = "example.quillback.peatlight"
ALL = ContentRules((Pattern("*", "all"),), ())


def reader(root: Path) -> Callable[[str, int, int], bytes]:
    def read(path: str, offset: int, size: int) -> bytes:
        with (root / path).open("rb") as stream:
            stream.seek(offset)
            return stream.read(size)

    return read


KINDS = ("small", "players", "past")
"""How a store holds content: as it was sent; laid out for players as well; as what only past builds have."""


class Shop:
    """A `Delivery` out of memory: packs made by the product's own packing; bytes can be spoilt on the way."""

    def __init__(self, kind: str = "small") -> None:
        self.kind = kind
        self.delivery: dict[bytes, ChunkPlaces] = {}
        """By the digests of a tree's chunks: marking player files makes another tree of the same content."""
        self.packs: dict[bytes, bytes] = {}
        self.where = ChunkPlaces.of({})
        self.manifests: dict[bytes, bytes] = {}
        self.spoil = 0
        self.fail = False
        self.sent = 0
        self.trees: dict[int, Tree] = {}
        self.differences: dict[tuple[int, int], list[DifferencePlace]] = {}
        self.last = Tree()

    def take(self, folder: Path) -> Tree:
        selection = select(folder, ALL)
        tree = read_tree(selection)
        new = Digests.of(d for d in tree.chunks.digests if d not in self.where)
        if self.kind == "past":
            self.where = self._kept(self.where, self._past(folder, tree, new))
            return tree
        packs = (made.data for made in make_packs(selection.sources, places(tree, new), pack_target=500_000))
        self.where = self._kept(self.where, packs)
        if self.kind == "players":
            self.delivery[tree.chunks.digests.joined] = self._kept(ChunkPlaces.of({}), self._for_players(folder, tree))
        return tree

    def _kept(self, before: ChunkPlaces, packs: Iterable[bytes]) -> ChunkPlaces:
        found = PlacesBuilder(before)
        for data in packs:
            digest = blake3(data).digest()
            self.packs[digest] = data
            found.add_pack(digest, pack.read_index(data, len(data)))
        return found.places()

    def _past(self, folder: Path, tree: Tree, new: Digests) -> Iterator[bytes]:
        content = {}
        for file in tree.files:
            data, at = (folder / file.path).read_bytes(), 0
            for chunk in file.chunks:
                content[chunk.digest], at = data[at : at + chunk.size], at + chunk.size
        writer = pack.PackWriter()
        for frame in make_past(order_past([tree], set(new)), lambda c: content[c.digest]):
            writer.add(frame.chunks, frame.stored)
        if writer.size:
            yield writer.finish()

    def _for_players(self, folder: Path, tree: Tree) -> Iterator[bytes]:
        read, writer = reader(folder), pack.PackWriter()
        one = np.zeros(len(tree.chunks), dtype=np.int64)
        for frame in make_frames(tree, order_of(tree, read), one, read, Way(LZMA2, 1, 1), frozenset()):
            writer.add(frame.chunks, frame.stored)
        yield writer.finish()

    def release(self, number: int, tree: Tree, **more: object) -> bytes:
        self.trees[number] = self.last = tree
        encoded = manifest.encode(Manifest("base", tree, DEFAULT))
        self.manifests[manifest.digest_of(encoded)] = encoded
        line = DepotLine("base", manifest.digest_of(encoded), len(encoded))
        fields = {"title": TITLE, "version_code": number, "launch": "bin/peatlight", "depots": (line,)}
        fields |= {"profile": "p", "platform": "linux", "version_name": "1.0.0"} | more
        return sign(Statement(build=number, **fields), KEY)  # type: ignore[arg-type]

    def manifest(self, digest: bytes) -> bytes:
        return self.manifests[digest]

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return manifest_difference.make(self.manifests[base], self.manifests[digest])

    def of(self, number: int) -> Shop:
        """Delivers this release from now on, not the one that was made last."""
        self.last = self.trees[number]
        return self

    def locations(self, depots: object = (), base: int = 0, base_depots: object = ()) -> bytes:
        old = self.trees.get(base)
        return locations.encode(self.located(self.last, old, base), self.last, old)

    def located(self, new: Tree, old: Tree | None = None, base: int = 0) -> Locations:
        """As the service gives them: for an update only what is missing, and the differences that were made."""
        delivery = self.delivery.get(new.chunks.digests.joined, ChunkPlaces.of({}))
        if old is None:
            return Locations(self.where, delivery=delivery)
        missing = missing_chunks(old, new)
        places = tuple(self.differences.get((id(old), id(new)), ()))
        chunks, large = (
            ChunkPlaces.of({c.digest: every[c.digest] for c in missing if c.digest in every})
            for every in (self.where, delivery)
        )
        return Locations(chunks, places, base, large)

    def prepare(self, old: Tree, new: Tree, sources: tuple[Path, Path]) -> MadeSet:
        """Makes the differences of an update from the folders that the trees were read from."""
        payloads: list[bytes] = []
        made = make_set(
            old, new, reader(sources[0]), reader(sources[1]), Locations(self.where), payloads.append, clock=CLOCK
        )
        joined = b"".join(payloads)
        digest = blake3(joined).digest()
        self.packs[digest] = joined
        self.differences[id(old), id(new)] = [p.within(digest) for p in made.places]
        return made

    def keys(self) -> dict[bytes, bytes]:
        return {}

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        if self.fail:
            raise Unavailable("gone", "the network is gone")
        data = bytearray(self.packs[pack][offset : offset + size])
        if self.spoil:
            self.spoil -= 1
            data[len(data) // 2] ^= 1
        self.sent += len(data)
        return bytes(data)


@pytest.fixture
def versions(shop: Shop, tmp_path: Path) -> tuple[Tree, Tree]:
    folder = make_folder(tmp_path / "source", 900_000)
    (folder / "bin/start").symlink_to("peatlight")
    first = shop.take(folder)
    change_folder(folder)
    return first, shop.take(folder)


@pytest.fixture
def device(tmp_path: Path) -> Installation:
    return Installation(tmp_path / "device", TITLE, KEY.public_key().public_bytes_raw(), clock=CLOCK)


def installed(device: Installation, shop: Shop, tree: Tree, number: int = 1) -> bytes:
    envelope = shop.release(number, tree)
    device.update(envelope, shop)
    return envelope


def test_a_fresh_install_is_what_was_planned(device: Installation, shop: Shop, versions: tuple[Tree, Tree]) -> None:
    plan = plan_update(versions[0], LocalContent(), shop.located(versions[0]))
    report = device.update(shop.release(1, versions[0]), shop)
    assert report.downloaded == plan.download == shop.sent
    assert report.written == plan.written == versions[0].size
    assert device.verify() == []
    tree = device.root / "current" / "tree"
    assert os.access(tree / "bin/peatlight", os.X_OK)
    assert os.readlink(tree / "bin/start") == "peatlight"


def test_content_that_unpacks_large_is_opened_frame_by_frame(
    device: Installation, shop: Shop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Little travels, in one request, and thousands of chunks come of it: memory holds a frame of them, not all."""
    folder = make_folder(tmp_path / "source", 100_000)
    (folder / "data/fog.bin").write_bytes(b"".join(n.to_bytes(8, "little") * 2048 for n in range(4000)))
    tree = shop.take(folder)
    most = []
    real = Assembly.put_run
    monkeypatch.setattr(Assembly, "put_run", lambda self, run: (most.append(len(run)), real(self, run))[1])
    report = device.update(shop.release(1, tree), shop)
    assert report.downloaded < tree.size / 100
    assert 1 < max(most) < len(tree.chunks) / 4
    assert device.verify() == []


def test_an_update_downloads_what_was_planned_and_no_more(
    device: Installation, shop: Shop, versions: tuple[Tree, Tree]
) -> None:
    installed(device, shop, versions[0])
    plan = plan_update(versions[1], local_content(versions[0]), shop.located(versions[1], versions[0], 1))
    shop.sent = 0
    report = device.update(shop.release(2, versions[1]), shop)
    assert report.downloaded == plan.download == shop.sent
    assert report.reused == plan.reused
    assert plan.download < versions[1].size / 4
    assert device.verify() == []
    assert not (device.root / "making").exists()
    assert len(list((device.root / "builds").iterdir())) == 1


def test_a_move_costs_nothing(versions: tuple[Tree, Tree]) -> None:
    kinds = {(c.kind, c.path) for c in compare(*versions)}
    assert kinds == {
        ("changed", "data/bog.arc"),
        ("changed", "locale/en.json"),
        ("moved", "locale/suomi.json"),
        ("added", "data/thaw.bin"),
        ("removed", "data/empty.bin"),
    }


class Crash(BaseException):
    """A power cut."""


OPERATIONS = ("pwrite", "ftruncate", "link", "rename", "replace", "chmod", "symlink", "mkdir", "unlink")


def crash_at(monkeypatch: pytest.MonkeyPatch, nth: int) -> list[int]:
    """Every changing call counts; the nth does not happen, nor does any after it."""
    count = [0]

    def wrap(name: str) -> None:
        real = getattr(os, name)

        def counted(*args, **named):  # type: ignore[no-untyped-def]
            count[0] += 1
            if count[0] >= nth:
                raise Crash
            return real(*args, **named)

        monkeypatch.setattr(os, name, counted)

    for name in OPERATIONS:
        wrap(name)
    return count


@pytest.mark.slow
def test_a_power_cut_at_any_operation_leaves_the_old_or_the_new_build(
    shop: Shop, versions: tuple[Tree, Tree], tmp_path: Path
) -> None:
    key = KEY.public_key().public_bytes_raw()
    base = Installation(tmp_path / "base", TITLE, key, clock=CLOCK)
    installed(base, shop, versions[0])
    envelope = shop.release(2, versions[1])
    finished = False
    nth = 0
    while not finished:
        nth += 1
        root = tmp_path / f"try{nth}"
        shutil.copytree(base.root, root, symlinks=True)
        device = Installation(root, TITLE, key, clock=CLOCK)
        with pytest.MonkeyPatch.context() as patch:
            crash_at(patch, nth)
            try:
                device.update(envelope, shop)
                finished = True
            except Crash:
                pass
        now = device.current()
        assert now is not None
        assert now.statement.build in (1, 2)
        assert device.verify() == [], f"after a cut at operation {nth}"
        device.update(envelope, shop)
        after = device.current()
        assert after is not None
        assert after.statement.build == 2
        assert device.verify() == []
        shutil.rmtree(root)
    assert nth > 20


def test_an_interrupted_download_goes_on_where_it_stopped(
    device: Installation, shop: Shop, versions: tuple[Tree, Tree], monkeypatch: pytest.MonkeyPatch
) -> None:
    if shop.kind != "small":
        # Large frames come in several answers; one that is cut short comes again.
        for limit in ("REQUEST_LIMIT", "PART"):
            monkeypatch.setattr(f"rampa.core.install.cheapest.{limit}", 300_000)
    real, calls = shop.read, [0]

    def cut(pack: bytes, offset: int, size: int) -> bytes:
        calls[0] += 1
        if calls[0] > 1:
            raise Unavailable("gone", "the network is gone")
        return real(pack, offset, size)

    shop.read = cut  # type: ignore[method-assign]
    envelope = shop.release(1, versions[0])
    with refuses("gone"):
        device.update(envelope, shop)
    assert device.current() is None
    before, shop.read = shop.sent, real  # type: ignore[method-assign]
    device.update(envelope, shop)
    assert device.verify() == []
    plan = plan_update(versions[0], LocalContent(), shop.located(versions[0]))
    again = 0 if shop.kind == "small" else max(f.stored for r in plan.requests for f in r.frames)
    assert before > 0
    assert plan.download <= shop.sent <= plan.download + again, "nothing was downloaded twice"


def test_damaged_files_are_found_and_only_their_chunks_are_fetched(
    device: Installation, shop: Shop, versions: tuple[Tree, Tree]
) -> None:
    installed(device, shop, versions[0])
    tree = device.root / "current" / "tree"
    with (tree / "data/bog.arc").open("r+b") as out:
        out.seek(500_000)
        out.write(b"rot")
    (tree / "locale/fi.json").unlink()
    (tree / "bin/peatlight").chmod(0o644)
    (tree / "bin/start").unlink()
    (tree / "bin/start").symlink_to("/etc/passwd")
    assert sorted(device.verify()) == ["bin/peatlight", "bin/start", "data/bog.arc", "locale/fi.json"]
    shop.sent = 0
    report = device.repair(shop)
    assert report.repaired == ["bin/peatlight", "bin/start", "data/bog.arc", "locale/fi.json"]
    assert device.verify() == []
    assert report.downloaded == shop.sent < 2_200_000
    assert device.repair(shop).repaired == []


def test_an_update_over_damaged_files_fetches_what_they_lack(
    device: Installation, shop: Shop, versions: tuple[Tree, Tree]
) -> None:
    installed(device, shop, versions[0])
    (device.root / "current/tree/data/bog.arc").write_bytes(noise(1000, 3))
    device.update(shop.release(2, versions[1]), shop)
    assert device.verify() == []


def test_a_spoilt_download_is_asked_for_again_and_never_written(
    device: Installation, shop: Shop, versions: tuple[Tree, Tree]
) -> None:
    shop.spoil = 1
    installed(device, shop, versions[0])
    assert device.verify() == []
    shop.spoil = 10_000
    with refuses("download.damaged"):
        device.update(shop.release(2, versions[1]), shop)
    now = device.current()
    assert now is not None
    assert now.statement.build == 1
    assert device.verify() == []


def test_forged_manifests_replace_nothing(device: Installation, shop: Shop, versions: tuple[Tree, Tree]) -> None:
    first = installed(device, shop, versions[0])
    good = shop.release(2, versions[1])
    other = Ed25519PrivateKey.generate()
    forged = {
        "signed by another": (
            "envelope.forged",
            sign(Statement(TITLE, 2, "p", "linux", "1.0.0", 2, "bin/peatlight", ()), other),
        ),
        "changed": ("envelope.damaged", good.replace(b'"payload"', b'"payloaX"')),
        "cut off": ("envelope.damaged", good[:-9]),
        "of another title": ("statement.title", shop.release(2, versions[1], title="example.other")),
        "launches nothing": ("statement.damaged", shop.release(2, versions[1], launch="bin/none")),
    }
    for what, (code, envelope) in forged.items():
        with refuses(code):
            device.update(envelope, shop)
        assert device.verify() == [], what
    digest = next(reversed(shop.manifests))
    whole = shop.manifests[digest]
    shop.manifests[digest] = whole + b"x"
    with refuses("manifest.forged", "not the one that was signed"):
        device.update(good, shop)
    shop.manifests[digest] = whole
    device.update(good, shop)
    with refuses("statement.older", "older"):
        device.update(first, shop)


def test_a_difference_that_makes_something_else_is_never_given_out(
    shop: Shop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = make_folder(tmp_path / "one", 900_000)
    old = shop.take(folder)
    shutil.copytree(folder, tmp_path / "two")
    change_folder(tmp_path / "two")
    new = shop.take(tmp_path / "two")
    monkeypatch.setattr("rampa.core.content.patch.sets.maker.apply", lambda *_: bytearray(b"fog"))
    with refuses("difference.wrong"):
        shop.prepare(old, new, (folder, tmp_path / "two"))


def test_a_file_that_is_not_what_was_promised_is_not_installed(
    device: Installation, shop: Shop, versions: tuple[Tree, Tree], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("rampa.core.install.assembly.file_holds", lambda *_: False)
    with refuses("file.damaged", where="data/"):
        device.update(shop.release(1, versions[0]), shop)
    assert device.current() is None


def test_what_is_installed_is_read_strictly(device: Installation, shop: Shop, versions: tuple[Tree, Tree]) -> None:
    installed(device, shop, versions[0])
    with refuses("install.no-previous"):
        device.roll_back()
    release = next((device.root / "builds").glob("*/release"))
    papers = next(release.glob("*.manifest"))
    kept = papers.read_bytes()
    papers.write_bytes(kept[:-1])
    with refuses("manifest.damaged"):
        device.current()
    papers.unlink()
    with refuses("install.damaged", where=papers.name):
        device.current()
    papers.write_bytes(kept)
    assert device.verify() == []


def test_a_full_disk_says_so_and_goes_on_later(
    device: Installation, shop: Shop, versions: tuple[Tree, Tree], monkeypatch: pytest.MonkeyPatch
) -> None:
    envelope = shop.release(1, versions[0])
    with monkeypatch.context() as patch:
        patch.setattr(os, "pwrite", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
        with refuses("disk.full", "the disk is full"):
            device.update(envelope, shop)
    assert device.current() is None
    device.update(envelope, shop)
    assert device.verify() == []


def test_a_lost_pack_is_said(device: Installation, shop: Shop, versions: tuple[Tree, Tree]) -> None:
    lost = versions[0].files[0].chunks[0].digest
    shop.where = ChunkPlaces.of({d: place for d, place in shop.where.items() if d != lost})
    shop.delivery = {}
    with refuses("content.missing", "in no pack"):
        device.update(shop.release(1, versions[0]), shop)
