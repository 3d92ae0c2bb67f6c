"""The port through which an installer gets bytes. The client library stands behind it, or a folder, or a test."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True)
class LocatedPart:
    """Encoded locations of these depots' chunks, from those depots of the build that the update starts from: chunks and files
    are counted within them."""

    data: bytes
    depots: tuple[str, ...]
    base_depots: tuple[str, ...] = ()


Located = bytes | Sequence[LocatedPart]
"""Encoded locations of all that was asked for together, or in parts."""


class Delivery(Protocol):
    """Raises `Unavailable` when the bytes cannot be had now. Nothing that it answers is trusted."""

    def manifest(self, digest: bytes) -> bytes:
        """The encoded manifest with this BLAKE3 digest."""
        ...

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        """The same as a difference against the manifest `base`; empty where there is none."""
        ...

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> Located:
        """Locations of the chunks of these depots; with a base, of those that its depots lack, and differences."""
        ...

    def keys(self) -> Mapping[bytes, bytes]:
        """Id -> key of the build's encrypted content. Raises `Refused` before it is unsealed."""
        ...

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        """`size` bytes of a pack."""
        ...


class PassingOn:
    """A `Delivery` that gives what another one gives; what stands over it changes one thing of that."""

    def __init__(self, inner: Delivery) -> None:
        self._inner = inner

    def manifest(self, digest: bytes) -> bytes:
        return self._inner.manifest(digest)

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return self._inner.manifest_difference(digest, base)

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> Located:
        return self._inner.locations(depots, base, base_depots)

    def keys(self) -> Mapping[bytes, bytes]:
        return self._inner.keys()

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return self._inner.read(pack, offset, size)
