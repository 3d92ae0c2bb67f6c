"""The port through which an installer gets bytes. The client library stands behind it, or a folder, or a test."""

from __future__ import annotations

from typing import Protocol


class Delivery(Protocol):
    """Raises `Unavailable` when the bytes cannot be had now. Nothing that it answers is trusted."""

    def manifest(self, digest: bytes) -> bytes:
        """The encoded manifest with this BLAKE3 digest."""
        ...

    def locations(self) -> bytes:
        """Encoded locations of the build's chunks."""
        ...

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        """`size` bytes of a pack."""
        ...
