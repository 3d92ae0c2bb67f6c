"""Where a build's content lies, as a list of files: locations by depot, and those that start from a build before.

    depots     depot -> its locations, from nothing
    updates    build -> {"depots": the same from that build's depot of this name, "whole": differences that cross depots}
    manifests  manifest's digest -> digests of manifests before it that a difference exists from -> its size
    keys       the keys of content that was sealed; only once it is unsealed

Locations are split by depot so that whatever a device chose, its files are there: no server has to put them together.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from rampa.core.delivery.line import SignedFile
from rampa.core.errors import Damaged, RampaError

KIND = "rampa-places-1"


@dataclass(frozen=True)
class UpdatePlaces:
    """From one build before. `whole` is for a device that has all of `base_depots` and takes all depots."""

    depots: Mapping[str, SignedFile]
    base_depots: tuple[str, ...] = ()
    whole: SignedFile | None = None


@dataclass(frozen=True)
class BuildPlaces:
    depots: Mapping[str, SignedFile]
    updates: Mapping[int, UpdatePlaces] = field(default_factory=dict)
    manifests: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    keys: SignedFile | None = None
    sealed: bool = False
    """Its content is encrypted, and the keys are not given out yet where `keys` is None."""


def encode(places: BuildPlaces) -> bytes:
    return json.dumps(asdict(places) | {"kind": KIND}, sort_keys=True, separators=(",", ":")).encode()


def decode(data: bytes) -> BuildPlaces:
    """Raises `Damaged`."""
    try:
        body = json.loads(data)
        if body["kind"] != KIND:
            raise ValueError("another kind")
        updates = {int(n): _update(u) for n, u in body["updates"].items()}
        manifests = {str(d): {str(b): int(n) for b, n in of.items()} for d, of in body["manifests"].items()}
        return BuildPlaces(_files(body["depots"]), updates, manifests, _file(body["keys"]), body["sealed"] is True)
    except RampaError:
        raise
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise Damaged("places.damaged", "the list of a build's places cannot be read") from error


def _update(body: dict[str, Any]) -> UpdatePlaces:
    return UpdatePlaces(_files(body["depots"]), tuple(str(d) for d in body["base_depots"]), _file(body["whole"]))


def _files(body: dict[str, Any]) -> dict[str, SignedFile]:
    return {str(depot): SignedFile(str(f["digest"]), f["size"]) for depot, f in body.items()}


def _file(body: dict[str, Any] | None) -> SignedFile | None:
    return None if body is None else SignedFile(str(body["digest"]), body["size"])
