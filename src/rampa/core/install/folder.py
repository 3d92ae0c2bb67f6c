"""The folder of an installation.

ROOT/current             a link to builds/<key>: what the player starts
ROOT/builds/<key>/tree   the files
ROOT/builds/<key>/release  the signed statement and the manifests, to verify against without a network
ROOT/previous            a link to the build before, where it is kept to be rolled back to
ROOT/aside/<build>/      player files of the player's that an update replaced or dropped
ROOT/making/<key>/      a build in the making; a later run goes on with it
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged
from rampa.core.files import sync
from rampa.core.install.release_manifests import CHOSEN, chosen_lines, manifest_file, tree_of
from rampa.core.signing.statement import DepotLine, Statement


@dataclass(frozen=True)
class Installed:
    """A build in the installation: its verified statement and its whole tree."""

    key: str
    statement: Statement
    tree: Tree
    depots: tuple[DepotLine, ...]
    """Those of the statement's depots that are installed."""


class InstallFolder:
    """Names change in single steps: after a kill `current` points at one whole build."""

    def __init__(self, root: Path, keep_previous: bool) -> None:
        self._root, self._keep_previous = root, keep_previous

    def tree(self, key: str) -> Path:
        return self._root / "builds" / key / "tree"

    def release(self, key: str) -> Path:
        return self._root / "builds" / key / "release"

    def making(self, key: str) -> Path:
        return self._root / "making" / key

    def aside(self, build: int) -> Path:
        return self._root / "aside" / str(build)

    def _key(self, name: str) -> str:
        """Of the build that the link `name` points at; empty where there is no link."""
        link = self._root / name
        return Path(os.readlink(link)).name if link.is_symlink() else ""

    def installed(self, name: str, verify: Callable[[bytes], Statement]) -> Installed | None:
        """What the link `name` points at. Raises `Damaged` when its release manifests are."""
        key = self._key(name)
        if not key:
            return None
        release = self.release(key)
        try:
            statement = verify((release / "statement.json").read_bytes())
            lines = chosen_lines(statement, release)
            encoded = {d.depot: manifest_file(release, d).read_bytes() for d in lines}
        except OSError as error:
            raise Damaged(
                "install.damaged",
                "the installed build's manifests cannot be read",
                where=str(error.filename or release),
                hint="Install again: files that are still right are reused.",
            ) from error
        return Installed(key, statement, tree_of(statement, encoded), lines)

    def swap(self, key: str) -> None:
        """What was made is what starts from now on; the build before goes, or is kept."""
        place = self._root / "builds" / key
        place.parent.mkdir(parents=True, exist_ok=True)
        if place.exists():
            shutil.rmtree(place)
        os.rename(self.making(key), place)
        before = self._key("current")
        if self._keep_previous and before and before != key:
            self._point("previous", before)
        self.take_up(key)

    def take_up(self, key: str) -> None:
        """A build that is there whole is what starts from now on."""
        self._point("current", key)
        sync(self._root)
        self.clean(key)

    def _point(self, name: str, key: str) -> None:
        # A link cannot be pointed elsewhere in one step; a second one can be renamed over it.
        beside = self._root / f"{name}.new"
        beside.unlink(missing_ok=True)
        beside.symlink_to(Path("builds") / key)
        os.replace(beside, self._root / name)

    def clean(self, key: str) -> None:
        """Removes what is neither build `key` nor the one that is kept."""
        previous = self._key("previous")
        # Rolled back to, or not wanted any more: a link to what is current would keep nothing.
        if previous and (not self._keep_previous or previous == key):
            (self._root / "previous").unlink()
            previous = ""
        for old in (self._root / "builds").iterdir():
            if old.name not in (key, previous):
                shutil.rmtree(old, ignore_errors=True)
        shutil.rmtree(self._root / "making", ignore_errors=True)

    def drop_other_making(self, key: str) -> None:
        folder = self._root / "making"
        for other in folder.iterdir() if folder.is_dir() else ():
            if other.name != key:
                shutil.rmtree(other, ignore_errors=True)

    def remove(self) -> None:
        """All but what is aside."""
        for name in ("current", "previous"):
            (self._root / name).unlink(missing_ok=True)
        sync(self._root)
        for name in ("builds", "making"):
            shutil.rmtree(self._root / name, ignore_errors=True)


def write_release(folder: Path, envelope: bytes, lines: Iterable[DepotLine], encoded: Mapping[str, bytes]) -> None:
    """What the files are verified against without a network."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / CHOSEN).write_text("\n".join(line.depot for line in lines))
    for line in lines:
        manifest_file(folder, line).write_bytes(encoded[line.depot])
    # Written last: a folder with a statement is whole.
    (folder / "statement.json").write_bytes(envelope)
