"""The port of the content store: where packs and manifests rest. A folder or an object store stands behind it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol


@dataclass(frozen=True, slots=True)
class Stored:
    """A pack or manifest as the store lists it: bytes, and when it was written (seconds since 1970)."""

    digest: bytes
    size: int
    written: float


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

    def read_pack(self, digest: bytes, offset: int, size: int) -> bytes:
        """`size` bytes of a pack, fewer at its end."""
        ...

    def pack_file(self, digest: bytes) -> Path | None:
        """A pack as a file that can be read; None where packs are not files of this machine."""
        ...

    def pack_address(self, digest: bytes, span: str) -> str:
        """An address from which anybody can fetch `span` of the pack (a Range header; empty: all) for a minute; empty
        where there is none."""
        ...

    def offer_pack(self, digest: bytes) -> None:
        """Also puts it where a public server may read: only what is offered lies there. Twice is no error."""
        ...

    def withdraw_pack(self, digest: bytes) -> None:
        """Takes it away from there."""
        ...

    def packs(self) -> Iterator[Stored]:
        """All packs that there are, whether a row points at them or not."""
        ...

    def manifests(self) -> Iterator[Stored]: ...

    def remove_manifest(self, digest: bytes) -> None: ...

    def remove_pack(self, digest: bytes) -> None:
        """Forgets a pack that no row points at any more."""
        ...

    def put_manifest(self, digest: bytes, data: bytes) -> None: ...

    def manifest(self, digest: bytes) -> bytes: ...
