"""A delivery that is nothing but files: what an installer asks for, by the names that the files have wherever they lie.

Nothing that a place answers is believed: the list of places and the locations are checked by SHA-256 and their size here,
manifests and chunks by the installer.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from typing import Protocol

from rampa.core.content.pack.encryption import unwrap
from rampa.core.delivery import names, places
from rampa.core.delivery.line import LineBuild, SignedFile
from rampa.core.delivery.places import BuildPlaces
from rampa.core.errors import Damaged, Refused
from rampa.core.install.delivery import LocatedPart
from rampa.core.signing.statement import Statement

KEYS_KIND = "rampa-keys-1"


class FileSource(Protocol):
    """Raises `NotFound` for what is not there, `Unavailable` when it cannot be had now."""

    def fetch(self, name: str, limit: int) -> bytes:
        """A file of at most `limit` bytes."""
        ...

    def span(self, name: str, offset: int, size: int) -> bytes:
        """`size` bytes of a file."""
        ...


def fetch_signed(files: FileSource, file: SignedFile) -> bytes:
    """Raises `Damaged` for other bytes than those that were signed."""
    data = files.fetch(file.name, file.size)
    if len(data) != file.size or hashlib.sha256(data).hexdigest() != file.digest:
        raise Damaged("delivery.swapped", "a file of the delivery is not the one that was signed", where=file.name)
    return data


class FileDelivery:
    """A `rampa.core.install.delivery.Delivery` of one build; `statement` is the verified one of the line's build."""

    def __init__(self, files: FileSource, build: LineBuild, statement: Statement) -> None:
        self._files = files
        self._sizes = {d.manifest: d.size for d in statement.depots}
        self._all = {d.depot for d in statement.depots}
        self._build = f"{statement.title}#{statement.build}"
        self._signed = build.places
        self._read: BuildPlaces | None = None

    @property
    def _places(self) -> BuildPlaces:
        # Only when something is asked for: a device that has it all needs no list.
        if self._read is None:
            self._read = places.decode(fetch_signed(self._files, self._signed))
        return self._read

    def manifest(self, digest: bytes) -> bytes:
        if digest not in self._sizes:
            raise Damaged("manifest.unknown", "the signed statement names no such manifest")
        return self._files.fetch(names.manifest_name(digest), self._sizes[digest])

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        size = self._places.manifests.get(digest.hex(), {}).get(base.hex(), 0)
        return self._files.fetch(names.manifest_name(digest, base), size) if size else b""

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> Sequence[LocatedPart]:
        update = self._places.updates.get(base) if base else None
        parts = []
        for depot in depots:
            start = update.depots.get(depot) if update and depot in base_depots else None
            file = start or self._places.depots.get(depot)
            if file is None:
                raise Damaged("places.damaged", "the list of the build's places lacks a depot", where=depot)
            parts.append(LocatedPart(fetch_signed(self._files, file), (depot,), (depot,) if start else ()))
        if update and update.whole and set(depots) == self._all and set(base_depots) == set(update.base_depots):
            whole = fetch_signed(self._files, update.whole)
            parts.append(LocatedPart(whole, tuple(depots), tuple(base_depots)))
        return parts

    def keys(self) -> Mapping[bytes, bytes]:
        if self._places.keys is None:
            if not self._places.sealed:
                return {}
            raise Refused(
                "content.locked",
                f"the content of {self._build} is sealed: its key is not given out yet",
                hint="Nothing was replaced. Run the command again once it is unsealed.",
            )
        return decode_keys(fetch_signed(self._files, self._places.keys))

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return self._files.span(names.pack_name(pack), offset, size)


def encode_keys(unsealing: bytes, wrapped: Mapping[bytes, bytes]) -> bytes:
    """The keys of a build's content: `wrapped` by the unsealing key, by their ids."""
    body = {"kind": KEYS_KIND, "unsealing": unsealing.hex(), "keys": {i.hex(): w.hex() for i, w in wrapped.items()}}
    return json.dumps(body, sort_keys=True, separators=(",", ":")).encode()


def decode_keys(data: bytes) -> Mapping[bytes, bytes]:
    """Id -> key. Raises `Damaged`."""
    try:
        body = json.loads(data)
        unsealing = bytes.fromhex(body["unsealing"])
        wrapped = {bytes.fromhex(i): bytes.fromhex(w) for i, w in body["keys"].items()}
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise Damaged("keys.damaged", "the keys of the build's content cannot be read") from error
    return {ident: unwrap(key, ident, unsealing) for ident, key in wrapped.items()}
