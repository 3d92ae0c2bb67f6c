"""Fetching the symbols that are kept with a build."""

from __future__ import annotations

from pathlib import Path

from rampa.client.client import API, Client
from rampa.core.content import locations as locations_format
from rampa.core.content import manifest as manifest_format
from rampa.core.content.fill import Filling
from rampa.core.content.plan import LocalContent


class _SymbolDelivery:
    """A `rampa.core.content.delivery.Delivery` of a build's symbols."""

    def __init__(self, client: Client, title: str, number: int) -> None:
        self._client = client
        self._at = f"{API}/titles/{title}/builds/{number}/symbols"

    def manifest(self, digest: bytes) -> bytes:
        return self._client.fetch(f"{self._at}/manifest")

    def locations(self) -> bytes:
        return self._client.fetch(f"{self._at}/locations")

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return self._client.fetch(f"{API}/packs/{pack.hex()}", {"Range": f"bytes={offset}-{offset + size - 1}"})


def bring_symbols(client: Client, title: str, number: int, target: Path) -> None:
    """Fills `target`; every chunk is checked."""
    delivery = _SymbolDelivery(client, title, number)
    tree = manifest_format.decode(delivery.manifest(b"")).tree
    Filling(target, None, delivery).run(tree, LocalContent(), locations_format.decode(delivery.locations()))
