"""What a fleet downloads: the ways from one build to another, each gone once by the real installer, then fetched again and again.

The first device of a way installs for real, below a folder that all share: every digest is checked, and what it read of which
pack is noted. The others of that way read the same bytes over the network and drop them, as with a disk that holds nothing.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from rampa.core.install.delivery import Delivery
from rampa.core.install.install import Installation
from rampa.system import CLOCK


@dataclass
class Read:
    """What a device reads on one way: ranges of packs, and bytes of manifests and locations."""

    ranges: list[tuple[bytes, int, int]] = field(default_factory=list)
    metadata: int = 0

    @property
    def size(self) -> int:
        return self.metadata + sum(size for _, _, size in self.ranges)


class Noting:
    """A delivery that notes what is read of another."""

    def __init__(self, inner: Delivery) -> None:
        self._inner = inner
        self.read_so_far = Read()

    def manifest(self, digest: bytes) -> bytes:
        return self._said(self._inner.manifest(digest))

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return self._said(self._inner.manifest_difference(digest, base))

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> bytes:
        return self._said(self._inner.locations(depots, base, base_depots))

    def keys(self) -> Mapping[bytes, bytes]:
        return self._inner.keys()

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        data = self._inner.read(pack, offset, size)
        self.read_so_far.ranges.append((pack, offset, size))
        return data

    def _said(self, data: bytes) -> bytes:
        self.read_so_far.metadata += len(data)
        return data


class Routes:
    """`delivery` and `envelope` (the signed statement) are of a build, by its number; `key` is the title's manifest key."""

    def __init__(
        self,
        folder: Path,
        identifier: str,
        key: bytes,
        delivery: Callable[[int], Delivery],
        envelope: Callable[[int], bytes],
    ) -> None:
        self._folder, self._identifier, self._key = folder, identifier, key
        self._delivery, self._envelope = delivery, envelope
        self._known: dict[tuple[int, int], Read] = {}
        self._deliveries: dict[int, Delivery] = {}

    def bring(self, have: int, build: int) -> int:
        """Downloads what a device with `have` (0: nothing) lacks of `build`; bytes. Raises as an installer and a delivery do."""
        known = self._known.get((have, build))
        if known is None:
            known = self._known[have, build] = self._first(have, build)
            return known.size
        delivery = self._of(build)
        for pack, offset, size in known.ranges:
            delivery.read(pack, offset, size)
        return known.size

    def _first(self, have: int, build: int) -> Read:
        at = self._folder / f"{have}-{build}"
        shutil.rmtree(at, ignore_errors=True)
        if have:
            shutil.copytree(self._installed(have), at, symlinks=True)
        noting = Noting(self._of(build))
        self._at(at).update(self._envelope(build), noting, back=True)
        return noting.read_so_far

    def _installed(self, build: int) -> Path:
        """A folder in which the build is installed; one more device's worth of download where there is none yet."""
        for have, to in self._known:
            if to == build:
                return self._folder / f"{have}-{to}"
        self.bring(0, build)
        return self._folder / f"0-{build}"

    def _at(self, folder: Path) -> Installation:
        return Installation(folder, self._identifier, self._key, clock=CLOCK)

    def _of(self, build: int) -> Delivery:
        if build not in self._deliveries:
            self._deliveries[build] = self._delivery(build)
        return self._deliveries[build]
