"""An installation: a folder in which one build of a title is installed, swapped for another as a whole, verified, repaired.

    ROOT/current             a link to builds/<key>: what the player starts
    ROOT/builds/<key>/tree   the files
    ROOT/builds/<key>/release  the signed statement and the manifests, to verify against without a network
    ROOT/staging/<key>/      a build in the making; a later run goes on with it

Order of an update: verify the statement, verify the manifests, fill staging (every chunk and file checked), sync, rename
staging into builds, swap the link, remove the old build. Until the swap the old build starts; after it the new one does.
"""

from __future__ import annotations

import ctypes
import os
import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from rampa.core.content import locations as locations_format
from rampa.core.content import manifest as manifest_format
from rampa.core.content import manifest_difference, parallel
from rampa.core.content.assemble import file_holds, read_chunk
from rampa.core.content.delivery import Delivery
from rampa.core.content.difference import making
from rampa.core.content.disk import disk_error
from rampa.core.content.fill import Filling, Progress, Report
from rampa.core.content.plan import LocalContent, OldPlace, local_content
from rampa.core.content.tree import FileEntry, Tree, merge
from rampa.core.errors import Damaged, Invalid, NotFound, Refused
from rampa.core.signing import statement as statement_format
from rampa.core.signing.statement import DepotLine, Statement

Listener = Callable[[Progress], None]


@dataclass(frozen=True)
class Installed:
    """A build in the installation: its verified statement and its whole tree."""

    key: str
    statement: Statement
    tree: Tree


class Installation:
    """`public_key` is the title's manifest key (raw Ed25519, 32 bytes), pinned when the device was registered."""

    def __init__(self, root: Path, title: str, public_key: bytes) -> None:
        self.root = root
        self._title = title
        self._public_key = public_key

    def current(self) -> Installed | None:
        """What is installed, verified against the pinned key. Raises `Damaged` when its papers are."""
        link = self.root / "current"
        if not link.is_symlink():
            return None
        key = Path(os.readlink(link)).name
        release = self.root / "builds" / key / "release"
        try:
            statement = self._verify((release / "statement.json").read_bytes())
            encoded = {d.depot: (release / f"{d.manifest.hex()}.manifest").read_bytes() for d in statement.depots}
        except OSError as error:
            raise Damaged(
                "install.damaged",
                "the installed build's manifests cannot be read",
                where=str(error.filename or release),
                hint="Install again: files that are still right are reused.",
            ) from error
        return Installed(key, statement, _tree(statement, encoded))

    def tree_folder(self, installed: Installed) -> Path:
        return self.root / "builds" / installed.key / "tree"

    def update(self, envelope: bytes, delivery: Delivery, on: Listener = lambda _: None) -> Report:
        """Installs the build of a signed statement, from whatever is there. Safe to run again after any interruption."""
        started = time.monotonic()
        statement = self._verify(envelope)
        now = self._current_or_nothing()
        key = _key(statement, envelope)
        if now is not None and now.key == key:
            self._clean(key)
            return Report(files=len(now.tree.files), seconds=time.monotonic() - started)
        if now is not None and statement.version_code < now.statement.version_code:
            raise Refused(
                "statement.older",
                f"version code {statement.version_code} is older than the installed {now.statement.version_code}",
                hint="Nothing was replaced. Devices take only rising version codes.",
            )
        held = {} if now is None else {d.manifest: self._release(now) for d in now.statement.depots}
        try:
            old = {d.depot: self._encoded(now, d) for d in now.statement.depots} if now else {}
            encoded, fetched = _manifests(statement, delivery, held, old)
            tree = _tree(statement, encoded)
            report = self._fill(key, statement, envelope, encoded, tree, now, delivery, on)
            self._swap(key)
        except OSError as error:
            raise disk_error(error, self.root) from error
        report.metadata += fetched + len(envelope)
        report.seconds = time.monotonic() - started
        return report

    def verify(self, on: Listener = lambda _: None) -> list[str]:
        """Paths of files that are missing or not what the signed manifest says."""
        now = self._must_be_installed()
        tree_at = self.tree_folder(now)
        total, done, bad = now.tree.size, 0, []
        on(Progress("verify", 0, total))
        with parallel.pool() as threads:
            checked = parallel.in_order(threads, lambda f: (f, _intact(tree_at / f.path, f)), now.tree.files, ahead=64)
            for file, intact in checked:
                done += file.size
                on(Progress("verify", done, total))
                if not intact:
                    bad.append(file.path)
        bad += [k.path for k in now.tree.links if not _link_holds(tree_at / k.path, k.target)]
        return bad

    def repair(self, delivery: Delivery, on: Listener = lambda _: None) -> Report:
        """Makes damaged files again from their good chunks and downloads of the bad ones; the rest is not touched."""
        started = time.monotonic()
        now = self._must_be_installed()
        bad = set(self.verify(on))
        files = tuple(f for f in now.tree.files if f.path in bad)
        links = tuple(k for k in now.tree.links if k.path in bad)
        report = Report()
        if bad:
            try:
                report = self._replace(now, Tree(files, links), delivery, on)
            except OSError as error:
                raise disk_error(error, self.root) from error
        report.repaired = sorted(bad)
        report.seconds = time.monotonic() - started
        return report

    def _replace(self, now: Installed, damaged: Tree, delivery: Delivery, on: Listener) -> Report:
        tree_at = self.tree_folder(now)
        have = _good_chunks(tree_at, now.tree)
        beside = self.root / "staging" / f"repair-{now.key}"
        shutil.rmtree(beside, ignore_errors=True)
        encoded = delivery.locations()
        filling = Filling(beside, tree_at, delivery, on)
        report = filling.run(damaged, have, locations_format.decode(encoded, now.tree))
        _sync(beside)
        for path in [f.path for f in damaged.files] + [k.path for k in damaged.links]:
            target = tree_at / path
            target.parent.mkdir(parents=True, exist_ok=True)
            if target.is_dir() and not target.is_symlink():
                shutil.rmtree(target)
            os.replace(beside / path, target)
        shutil.rmtree(beside, ignore_errors=True)
        report.metadata += len(encoded)
        return report

    def _fill(
        self,
        key: str,
        statement: Statement,
        envelope: bytes,
        encoded: dict[str, bytes],
        tree: Tree,
        now: Installed | None,
        delivery: Delivery,
        on: Listener,
    ) -> Report:
        staging = self.root / "staging" / key
        self._drop_other_staging(key)
        located = delivery.locations(now.statement.build if now else 0)
        have = local_content(now.tree) if now else LocalContent()
        have_root = self.tree_folder(now) if now else None
        filling = Filling(staging / "tree", have_root, delivery, on)
        locations = locations_format.decode(located, tree, now.tree if now else None)

        def whole() -> locations_format.Locations:
            encoded = delivery.locations()
            filling.report.metadata += len(encoded)
            return locations_format.decode(encoded, tree)

        report = filling.run(tree, have, locations, whole)
        release = staging / "release"
        release.mkdir(parents=True, exist_ok=True)
        for line in statement.depots:
            (release / f"{line.manifest.hex()}.manifest").write_bytes(encoded[line.depot])
        (release / "statement.json").write_bytes(envelope)
        _sync(staging)
        report.metadata += len(located)
        return report

    def _swap(self, key: str) -> None:
        staging, place = self.root / "staging" / key, self.root / "builds" / key
        place.parent.mkdir(parents=True, exist_ok=True)
        if place.exists():
            shutil.rmtree(place)
        os.rename(staging, place)
        beside = self.root / "current.new"
        beside.unlink(missing_ok=True)
        beside.symlink_to(Path("builds") / key)
        os.replace(beside, self.root / "current")
        _sync(self.root)
        self._clean(key)

    def _clean(self, key: str) -> None:
        for old in (self.root / "builds").iterdir():
            if old.name != key:
                shutil.rmtree(old, ignore_errors=True)
        shutil.rmtree(self.root / "staging", ignore_errors=True)

    def _drop_other_staging(self, key: str) -> None:
        folder = self.root / "staging"
        for other in folder.iterdir() if folder.is_dir() else ():
            if other.name != key:
                shutil.rmtree(other, ignore_errors=True)

    def _current_or_nothing(self) -> Installed | None:
        """An installation whose papers are damaged is installed again, not mourned."""
        try:
            return self.current()
        except Damaged:
            return None

    def _must_be_installed(self) -> Installed:
        now = self.current()
        if now is None:
            raise NotFound("install.none", "nothing is installed here yet", where=str(self.root))
        return now

    def _encoded(self, now: Installed, line: DepotLine) -> bytes:
        return (self._release(now) / f"{line.manifest.hex()}.manifest").read_bytes()

    def _release(self, now: Installed) -> Path:
        return self.root / "builds" / now.key / "release"

    def _verify(self, envelope: bytes) -> Statement:
        statement = statement_format.verify(envelope, self._public_key)
        if statement.title != self._title:
            raise Damaged(
                "statement.title",
                f"the statement is of another title: {statement.title}",
                hint="Nothing was replaced.",
            )
        return statement


def _key(statement: Statement, envelope: bytes) -> str:
    return f"{statement.build}-{manifest_format.digest_of(envelope).hex()[:12]}"


def _manifests(
    statement: Statement, delivery: Delivery, held: dict[bytes, Path], old: dict[str, bytes]
) -> tuple[dict[str, bytes], int]:
    """Each depot's manifest, checked against the statement, and how many bytes were fetched for them. `old`: those installed."""
    out, fetched = {}, 0
    for line in statement.depots:
        data = b""
        if line.manifest in held:
            data = (held[line.manifest] / f"{line.manifest.hex()}.manifest").read_bytes()
        if manifest_format.digest_of(data) != line.manifest:
            data, size = _fetch_manifest(line, delivery, old.get(line.depot))
            fetched += size
        if len(data) != line.size or manifest_format.digest_of(data) != line.manifest:
            raise Damaged(
                "manifest.forged",
                f"the manifest of depot {line.depot} is not the one that was signed",
                hint="Nothing was replaced.",
            )
        out[line.depot] = data
    return out, fetched


def _fetch_manifest(line: DepotLine, delivery: Delivery, base: bytes | None) -> tuple[bytes, int]:
    """By its difference from the installed one where that gives the right bytes, else whole; and the bytes fetched."""
    fetched = 0
    if base is not None and making.available():
        difference = delivery.manifest_difference(line.manifest, manifest_format.digest_of(base))
        fetched = len(difference)
        try:
            data = manifest_difference.apply(difference, base) if difference else b""
        except Damaged:
            data = b""
        if manifest_format.digest_of(data) == line.manifest:
            return data, fetched
    data = delivery.manifest(line.manifest)
    return data, fetched + len(data)


def _tree(statement: Statement, encoded: dict[str, bytes]) -> Tree:
    tree = merge(manifest_format.decode(encoded[d.depot]).tree for d in statement.depots)
    if not any(f.path == statement.launch for f in tree.files):
        raise Damaged("statement.damaged", "the statement's launch entry is in none of its depots")
    return tree


def _intact(path: Path, file: FileEntry) -> bool:
    if not file_holds(path, file.size, file.digest):
        return False
    return bool(path.stat().st_mode & 0o100) == file.executable


def _link_holds(path: Path, target: str) -> bool:
    return path.is_symlink() and os.readlink(path) == target


def _good_chunks(root: Path, tree: Tree) -> LocalContent:
    """Chunks that the tree really holds, wherever they are: only these may be reused for a repair."""
    chunks: dict[bytes, OldPlace] = {}
    for file in tree.files:
        offset = 0
        for chunk in file.chunks:
            if chunk.digest not in chunks and (
                read_chunk(root / file.path, offset, chunk.size, chunk.digest) is not None
            ):
                chunks[chunk.digest] = OldPlace(file.path, offset)
            offset += chunk.size
    return LocalContent({}, chunks)


def _sync(folder: Path) -> None:
    """Puts what was written on the disk (syncfs(2) where there is one)."""
    fd = os.open(folder, os.O_RDONLY)
    try:
        syncfs = getattr(ctypes.CDLL(None), "syncfs", None)
        if syncfs is None:
            os.sync()
        elif syncfs(fd) != 0:
            raise Invalid("disk.sync", "the disk did not confirm what was written", where=str(folder))
    finally:
        os.close(fd)
