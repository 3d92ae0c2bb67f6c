"""A manifest as a difference against the one of the build before: most of its paths and sizes are the same."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.patch import maker
from rampa.core.content.patch.format import CONTENT_LIMIT
from rampa.core.errors import Damaged


def travelling(new: Mapping[str, bytes], held: Mapping[str, bytes]) -> Iterator[tuple[str, bytes | None]]:
    """The depots whose manifest a device lacks, each with the one of its own that a difference starts from. Digests by depot."""
    # A manifest that the device has, under whatever depot, does not travel.
    known = set(held.values())
    return ((depot, held.get(depot)) for depot, manifest in new.items() if manifest not in known)


def make(old: bytes, new: bytes) -> bytes:
    """The difference between two encoded manifests, empty where it would not be smaller than the new one."""
    if not maker.available():
        return b""
    before, after = manifest_format.unpack(old), manifest_format.unpack(new)
    # Applied, it is packed again: only where that gives the very bytes that are signed can it stand for them.
    if max(len(before), len(after)) > CONTENT_LIMIT or manifest_format.pack(after) != new:
        return b""
    made = maker.make(before, after)
    size = _size(len(after))
    return size + made if len(made) + len(size) < len(new) else b""


def apply(difference: bytes, old: bytes) -> bytes:
    """The new encoded manifest; the caller checks its digest. Raises `Damaged`."""
    size = int.from_bytes(difference[:4], "little")
    if not 0 < size <= CONTENT_LIMIT:
        raise Damaged("manifest.damaged", "a manifest's difference claims an impossible size")
    return manifest_format.pack(bytes(maker.apply(difference[4:], manifest_format.unpack(old), size)))


def _size(size: int) -> bytes:
    return size.to_bytes(4, "little")
