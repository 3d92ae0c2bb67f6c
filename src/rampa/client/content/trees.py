"""Bringing a stored tree that is no release: its manifest and locations lie at one address, its chunks in packs."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from rampa.client.calls import API
from rampa.client.client import Client
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.tree.regions import LocalContent
from rampa.core.install.fill import Filling
from rampa.core.install.progress import Progress
from rampa.system import CLOCK


@dataclass(frozen=True)
class TreeDelivery:
    """A `rampa.core.install.delivery.Delivery` of the tree whose release manifests lie at `at`."""

    client: Client
    at: str

    def manifest(self, digest: bytes) -> bytes:
        return self.client.fetch(f"{self.at}/manifest")

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return b""

    def locations(self, depots: Sequence[str] = (), base: int = 0, base_depots: Sequence[str] = ()) -> bytes:
        return self.client.fetch(f"{self.at}/locations")

    def keys(self) -> Mapping[bytes, bytes]:
        return {}

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return self.client.fetch(f"{API}/packs/{pack.hex()}", {"Range": f"bytes={offset}-{offset + size - 1}"})


def bring_tree(client: Client, at: str, target: Path, on: Callable[[Progress], None] = lambda _: None) -> int:
    """Fills `target`; returns the count of files. Every chunk is checked against the manifest."""
    delivery = TreeDelivery(client, at)
    tree = manifest_format.decode(delivery.manifest(b"")).tree
    Filling(target, None, delivery, CLOCK, on).run(
        tree, LocalContent(), locations_format.decode(delivery.locations(), tree)
    )
    return len(tree.files)
