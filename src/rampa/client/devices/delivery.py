"""The installer's port over HTTP: manifests, locations, ranges of packs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from rampa.client.calls import API
from rampa.client.client import Client
from rampa.core.content.pack.encryption import unwrap
from rampa.core.content.patch.locations import VERSION as LOCATIONS
from rampa.core.errors import Damaged, Refused
from rampa.core.signing.statement import depots_in
from rampa.schema.devices import MOST_DEPOTS, MOST_RATE, DeviceReport

if TYPE_CHECKING:
    from rampa.core.install.progress import FillReport


def device_report(build: int, report: FillReport, unpacks: float = 0.0) -> DeviceReport:
    """What the installer did, as the service is told; everything that travelled counts as downloaded. `unpacks`: MB/s, where it
    was measured."""
    return DeviceReport(
        build=build,
        downloaded=report.downloaded + report.metadata,
        reused=report.reused,
        written=report.written,
        seconds=round(report.seconds, 3),
        depots=report.depots[:MOST_DEPOTS],
        rate=min(report.rate, MOST_RATE),
        unpacks=min(unpacks, MOST_RATE),
    )


class HttpDelivery:
    """A `rampa.core.install.delivery.Delivery` of one build. `packs` may be another server that holds the packs."""

    def __init__(self, client: Client, title: str, build: int, packs: str = f"{API}/packs") -> None:
        self._client, self._title, self._build = client, title, build
        self._at = f"{API}/titles/{title}/builds/{build}"
        self._packs = packs
        self._depots = depots_in(client.builds.statement(title, build))

    def manifest(self, digest: bytes) -> bytes:
        name = self._depots.get(digest.hex())
        if name is None:
            raise Damaged("manifest.unknown", "the signed statement names a manifest that the service does not list")
        return self._client.fetch(f"{self._at}/depots/{name}/manifest")

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        name = self._depots.get(digest.hex())
        if name is None:
            return b""
        return self._client.fetch(f"{self._at}/depots/{name}/manifest-difference?base={base.hex()}")

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> bytes:
        words = f"version={LOCATIONS}&base={base}&depots={','.join(depots)}&base_depots={','.join(base_depots)}"
        return self._client.fetch(f"{self._at}/locations?{words}")

    def keys(self) -> Mapping[bytes, bytes]:
        # Only when something encrypted is wanted: a build whose files were all there needs no key.
        found = self._client.signing.content_keys(self._title, self._build)
        if not found.unsealing_key and found.keys:
            raise Refused(
                "content.locked",
                f"the content of {self._title}#{self._build} is sealed: its key is not given out yet",
                hint="Nothing was replaced. Run the command again once it is unsealed.",
            )
        unsealing = bytes.fromhex(found.unsealing_key)
        pairs = ((bytes.fromhex(k.id), bytes.fromhex(k.wrapped)) for k in found.keys)
        return {ident: unwrap(wrapped, ident, unsealing) for ident, wrapped in pairs}

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return self._client.fetch(f"{self._packs}/{pack.hex()}", {"Range": f"bytes={offset}-{offset + size - 1}"})
