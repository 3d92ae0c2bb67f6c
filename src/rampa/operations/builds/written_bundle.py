"""A bundle written out of the content that the service holds already, so that it does not travel beside it.

The maker writes it, too, and says its digest: only the very same bytes count. Where they differ, since a library packs
otherwise or a step changed the bundle, it is sent as chunks.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from concurrent.futures import Future, wait
from dataclasses import dataclass
from pathlib import Path

from blake3 import blake3

from rampa.core import parallel
from rampa.core.apart import LONG
from rampa.core.bundle.written import BundlePlan, members_of, plan_of, write_bundle
from rampa.core.content.pack.shared_frames import places
from rampa.core.content.pack.writer import make_packs
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select.selection import only_file, select
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import RampaError, Refused
from rampa.core.files import must_fit, sha256_of
from rampa.db import BuildRow, find_build, must_be_open
from rampa.operations.base import Actor, Services, begin
from rampa.operations.builds.builds import must_hold
from rampa.operations.builds.bundle_signatures import signed_as_before
from rampa.operations.builds.bundles import check_name, profile_of
from rampa.operations.builds.received import read_manifest
from rampa.operations.content.arrival import missing_of, must_be_held, take_pack
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.schema.builds import builds as wire

PIECE = 4 * 1024 * 1024
REPEATED = 16
"""How many times its distinct chunks a content may be: more is made to fill a disk."""
ROUND = 1.0
"""Seconds after which whoever waits is told that it goes on."""


@dataclass
class _Far:
    """Bytes of content; told by one thread, changed by another."""

    total: int
    done: int = 0

    def line(self, state: wire.WritingState = "writing", why: str = "") -> wire.BundleWriting:
        return wire.BundleWriting(state=state, done=self.done, total=self.total, why=why)


@dataclass(frozen=True)
class WantedBundle:
    """What is to be written, once it was looked at."""

    build: BuildRow
    plan: BundlePlan
    tree: Tree
    bundle: wire.BundleIn
    signed: bool


def look_at_wanted(services: Services, actor: Actor, slug: str, number: int, asked: wire.WriteBundleIn) -> WantedBundle:
    """Raises `Conflict` for chunks that have not arrived, and `Refused` for what is no content of a build."""
    tree = read_manifest(asked.content).manifest.tree
    if tree.size > REPEATED * sum(tree.chunks.sizes):
        raise Refused("bundle.repeated", "the content repeats itself too often to be written here", where="content")
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number))
        must_hold(uow, build, asked.lease)
        profile = profile_of(uow, build)
        check_name(build, profile, asked.bundle)
        must_be_held(uow, tree.chunks)
        signed = profile.signs_inside and asked.bundle.sha256 != asked.bundle.bare
        if signed and build.inner_signature is None:
            raise Refused("signing.none", f"{build.name} has no signature inside its bundle yet")
    plan = plan_of(profile, build.bundle_name, build.version_name, build.version_code)
    return WantedBundle(build, plan, tree, asked.bundle, signed)


def write_wanted(services: Services, wanted: WantedBundle) -> Iterator[wire.BundleWriting]:
    """How far it is, at least once a second, and in the end whether the bundle is there. Does not raise what is ours."""
    with parallel.pool(1) as thread:
        far = _Far(wanted.tree.size)
        work: Future[bool] = thread.submit(_write, services, wanted, far)
        while not work.done():
            wait([work], timeout=ROUND)
            yield far.line()
    try:
        yield far.line("written" if work.result() else "differs")
    except RampaError as error:
        yield far.line("failed", error.sentence()[:400])


def _write(services: Services, wanted: WantedBundle, far: _Far) -> bool:
    with tempfile.TemporaryDirectory(prefix="rampa-bundle-") as scratch:
        folder = Path(scratch)
        must_fit(folder, wanted.tree.size + 2 * wanted.bundle.size)
        sources = _unpacked(services, wanted.tree, folder / "content", far)
        (folder / "bundle").mkdir()
        file = folder / "bundle" / wanted.bundle.name
        # Packages are opened to be stamped, and what is in them is a stranger's.
        LONG.read(write_bundle, file, wanted.plan, members_of(wanted.tree, sources))
        if wanted.signed:
            if sha256_of(file) != wanted.bundle.bare:
                return False
            signed_as_before(services, wanted.build, file).replace(file)
        if sha256_of(file) != wanted.bundle.sha256:
            return False
        _keep(services, file)
        return True


def _unpacked(services: Services, tree: Tree, folder: Path, far: _Far) -> dict[str, Path]:
    """The content in files that are named by numbers: names are the bundle's business."""
    folder.mkdir()
    content = StoredFileBytes(services, tree)

    def unpack(number: int) -> tuple[str, Path, int]:
        path, size, out = tree.files.paths[number], tree.files.sizes[number], folder / str(number)
        with out.open("wb") as stream:
            for at in range(0, size, PIECE):
                stream.write(content.read(path, at, PIECE))
        return path, out, size

    sources = {}
    with parallel.pool() as threads:
        for path, out, size in parallel.in_order(threads, unpack, range(len(tree.files)), ahead=16):
            sources[path] = out
            far.done += size
    return sources


def _keep(services: Services, file: Path) -> None:
    """As if it had been sent."""
    tree = read_tree(select(file.parent, only_file(file.name)))
    missing = missing_of(services, [d.hex() for d in tree.chunks.digests])
    wanted = places(tree, Digests(bytes.fromhex("".join(missing))))
    for pack in make_packs({file.name: file}, wanted):
        take_pack(services, blake3(pack.data).digest(), [pack.data])
