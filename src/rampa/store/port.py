"""The port of the content store: where packs and manifests rest. A folder stands behind it; an object store can."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Protocol


class ContentStore(Protocol):
    """What is put is there whole and synced when `put_*` returns, or not there at all.

    Raises `Unavailable` when the disk is full or fails, `NotFound` for what is not there.
    """

    mirrors: Path
    """A folder on this machine for mirrors of repositories."""

    def put_pack(self, digest: bytes, pieces: Iterable[bytes], limit: int, check: Callable[[Path, int], None]) -> int:
        """Keeps a pack whose bytes have this BLAKE3 digest, after `check` (path, size) found nothing; returns its size.

        Raises `Damaged` when the bytes have another digest, `Invalid` above `limit` bytes, and whatever `check` raises.
        """
        ...

    def pack_path(self, digest: bytes) -> Path:
        """A pack as a file that can be read."""
        ...

    def remove_pack(self, digest: bytes) -> None:
        """Forgets a pack that no row points at any more."""
        ...

    def put_manifest(self, digest: bytes, data: bytes) -> None: ...

    def manifest(self, digest: bytes) -> bytes: ...
