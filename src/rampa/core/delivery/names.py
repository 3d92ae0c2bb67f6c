"""The files of a delivery. All but one have names that say what is in them, and never change; below a title's identifier:

metadata/timestamp.json        the one that changes
metadata/N.root.json  metadata/N.snapshot.json  metadata/N.targets.json  metadata/N.channel-….json
targets/channel-…/<SHA-256>.<platform>      what is live on a line (rampa.core.delivery.line)
files/<SHA-256>                statements, lists of places, locations, keys of unsealed content
manifests/<BLAKE3>             manifests/<BLAKE3>-<BLAKE3 of the one before>: as a difference
packs/<BLAKE3>.pack            chunks, and differences
"""

from __future__ import annotations

import hashlib
import re
from typing import Any

from blake3 import blake3

from rampa.core.errors import Damaged

METADATA, TARGETS, FILES, MANIFESTS, PACKS = "metadata", "targets", "files", "manifests", "packs"
TIMESTAMP = f"{METADATA}/timestamp.json"
NAME = re.compile(
    r"metadata/timestamp\.json"
    r"|metadata/[1-9][0-9]{0,9}\.(root|snapshot|targets|channel-[0-9a-f]{32})\.json"
    r"|targets/channel-[0-9a-f]{32}/[0-9a-f]{64}\.[a-z0-9][a-z0-9-]{0,39}"
    r"|files/[0-9a-f]{64}"
    r"|manifests/[0-9a-f]{64}(-[0-9a-f]{64})?"
    r"|packs/[0-9a-f]{64}\.pack"
)


def is_name(name: str) -> bool:
    return NAME.fullmatch(name) is not None


def must_be_name(name: str) -> str:
    """Raises `Damaged` for what is no name of a file of a delivery: no other is written anywhere."""
    if not is_name(name):
        raise Damaged("delivery.name", f"{name[:80]!r} is no file of a delivery")
    return name


def file_name(data: bytes) -> str:
    return f"{FILES}/{hashlib.sha256(data).hexdigest()}"


def target_name(path: str, data: bytes) -> str:
    return target_at(path, hashlib.sha256(data).hexdigest())


def target_at(path: str, digest: str) -> str:
    """As devices ask for a target: its SHA-256 stands before its last part (TUF 1.0, section 6.2)."""
    folder, _, last = path.rpartition("/")
    return f"{TARGETS}/{folder}/{digest}.{last}"


def manifest_name(digest: bytes, base: bytes = b"") -> str:
    return f"{MANIFESTS}/{digest.hex()}" + (f"-{base.hex()}" if base else "")


def pack_name(digest: bytes) -> str:
    return f"{PACKS}/{digest.hex()}.pack"


def digest_in(name: str) -> bytes:
    """Of a pack's or a manifest's name: the digest of its content."""
    return bytes.fromhex(name.rpartition("/")[2].removesuffix(".pack")[:64])


class NameHasher:
    """Over a file as it comes: whether it is what its name says. Names that say nothing of it hold for anything."""

    def __init__(self, name: str) -> None:
        kind, _, last = name.partition("/")
        said = last.rpartition("/")[2].partition(".")[0]
        self._hasher: Any = None
        if kind in (FILES, TARGETS):
            self._hasher = hashlib.sha256()
        elif kind == PACKS or (kind == MANIFESTS and "-" not in said):
            self._hasher = blake3()
        self._said = said

    def update(self, data: bytes) -> None:
        if self._hasher is not None:
            self._hasher.update(data)

    def holds(self) -> bool:
        return self._hasher is None or self._hasher.hexdigest() == self._said


def holds(name: str, data: bytes) -> bool:
    hasher = NameHasher(name)
    hasher.update(data)
    return hasher.holds()
