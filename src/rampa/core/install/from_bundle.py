"""Installing a bundle on a device: proved first, unpacked beside, then taken up in one step.

ROOT/installed.json    which bundle is installed, and whose
ROOT/trees/SHA256      its files
ROOT/arriving/SHA256   a bundle that is on its way (whoever fetches it)
"""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

from rampa.core.bundle.desktop import entries_of, unpack, verify_checksums
from rampa.core.bundle.package import Facts, kind_of
from rampa.core.bundle.sources import FileBytes, read_through
from rampa.core.bundle.tar_bundle import is_tar_zst
from rampa.core.bundle.verification import Verified, verify_package
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.errors import Damaged, Refused
from rampa.core.files import must_fit, replace_file

PACKAGES = ("apk", "aab")
"""What carries its signature inside; other kinds are proved by the checksums that lie in them."""
LARGEST = 1 << 36
"""Bytes of an unpacked bundle."""


@dataclass(frozen=True, slots=True)
class Promised:
    """A bundle as whoever offers it describes it; `sha256` in hexadecimal, `size` in bytes."""

    identifier: str
    platform: str
    version_name: str
    version_code: int
    sha256: str
    size: int

    @property
    def version(self) -> str:
        return f"{self.version_name} ({self.version_code})"


@dataclass(frozen=True, slots=True)
class InstalledBundle:
    """`signer`: SHA-256 of the certificate that signed it, empty where its kind carries none; `files`, `unpacked`: how many there
    are, and their bytes."""

    promised: Promised
    signer: str
    files: int
    unpacked: int


class BundleInstallation:
    """One title on one device. Whoever ends in the middle of it leaves what was installed before."""

    def __init__(self, root: Path, room: int | None = None) -> None:
        self.root, self._room = root, room
        root.mkdir(parents=True, exist_ok=True)

    def arriving(self, promised: Promised) -> Path:
        """Where that bundle arrives; of another that had begun to, nothing can be used, and it goes."""
        folder = self.root / "arriving"
        folder.mkdir(exist_ok=True)
        for other in folder.iterdir():
            if other.name != promised.sha256:
                other.unlink()
        return folder / promised.sha256

    def has_begun(self) -> bool:
        folder = self.root / "arriving"
        return folder.is_dir() and any(folder.iterdir())

    def current(self) -> InstalledBundle | None:
        try:
            said = json.loads((self.root / "installed.json").read_text())
        except FileNotFoundError:
            return None
        except ValueError as error:
            raise Damaged("install.record", "what is installed cannot be read", where=str(self.root)) from error
        return InstalledBundle(**{**said, "promised": Promised(**said["promised"])})

    def tree(self, installed: InstalledBundle) -> Path:
        return self.root / "trees" / installed.promised.sha256

    def install(self, promised: Promised, bundle: Path, on: Callable[[int], None] = lambda _: None) -> InstalledBundle:
        """`on` is told bytes as they are read, each pass anew.

        Raises `Damaged` for a bundle that is not the promised one or is broken, `Refused` for one that is older than what is
        there or signed by somebody else, `Unavailable` for a full disk. What was installed stays then.
        """
        now = self.current()
        if now is not None and promised.version_code < now.promised.version_code:
            message = f"{now.promised.version} is installed, and {promised.version} is older"
            raise Refused("bundle.older", message, hint="Remove the title first: what it saved goes with it.")
        with FileBytes(bundle) as source:
            _must_be(promised, source)
            signer = _signer(promised, source, now)
            unpacked = _unpacked_size(source, on)
            must_fit(self.root, unpacked, self._room)
            tree = self.root / "trees" / promised.sha256
            shutil.rmtree(tree, ignore_errors=True)
            tree.mkdir(parents=True)
            files = len(unpack(source, tree))
        made = InstalledBundle(promised, signer, files, unpacked)
        replace_file(self.root / "installed.json", json.dumps(asdict(made)).encode())
        self._clean(promised.sha256)
        return made

    def remove(self) -> None:
        shutil.rmtree(self.root, ignore_errors=True)

    def _clean(self, keep: str) -> None:
        for tree in (self.root / "trees").iterdir():
            if tree.name != keep:
                shutil.rmtree(tree, ignore_errors=True)


def _must_be(promised: Promised, source: FileBytes) -> None:
    digest = hashlib.sha256()
    for piece in read_through(source, 0, source.size):
        digest.update(piece)
    if (source.size, digest.hexdigest()) != (promised.size, promised.sha256):
        message = f"what arrived is not the bundle that was promised: {source.size:,} of {promised.size:,} bytes, or other ones"
        raise Damaged("bundle.other", message, hint="Fetch it again.")


def _signer(promised: Promised, source: FileBytes, now: InstalledBundle | None) -> str:
    """Raises unless the bundle is the title's, of that version, and signed by who signed what is there, or by its successor."""
    if is_tar_zst(source):
        return ""
    found = verify_package(source)
    _must_say(promised, found.facts)
    if found.facts.kind in PACKAGES and not _signed(found):
        raise Damaged("bundle.signature", "its signature does not hold, or it carries none", hint="Fetch it again.")
    signer = found.fingerprint
    if now is not None and now.signer and signer != now.signer and now.signer not in found.line:
        message = f"what is installed was signed with {now.signer[:12]}…, and this with {signer[:12] or 'nothing'}…"
        raise Refused("bundle.signer", message, hint="Only a key that was handed over may follow the one before.")
    return signer


def _signed(found: Verified) -> bool:
    # Levels are a package's own; one for storefronts to take apart says none.
    return found.holds if found.facts.kind == "apk" else bool(found.fingerprint)


def _must_say(promised: Promised, facts: Facts) -> None:
    for what, said, meant in (
        ("identifier", facts.identifier, promised.identifier),
        ("version code", facts.version_code, promised.version_code),
    ):
        if said not in ("", None, meant):
            raise Refused("bundle.identity", f"its {what} is {said}, and {meant} was promised", where=what)


def _unpacked_size(source: FileBytes, on: Callable[[int], None]) -> int:
    """Of a bundle whose files have the checksums that it gives. Raises `Damaged`, `Refused` for one that would fill any disk."""
    total = 0

    def count(size: int) -> None:
        nonlocal total
        total += size
        if total > LARGEST:
            raise Refused("bundle.large", f"unpacked it has more than {LARGEST / 1e9:,.0f} GB")
        on(size)

    if is_tar_zst(source) or kind_of(read_zip(source)) == "zip":
        verify_checksums(source, count)
        return total
    for _, content in entries_of(source):
        for piece in content:
            count(len(piece))
    return total
