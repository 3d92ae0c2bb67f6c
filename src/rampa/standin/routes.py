"""What a fleet downloads: the ways from one build to another, each gone once by the real installer, then fetched again and again.

The first device of a way installs for real, below a folder that all share: every digest is checked, and what it fetched is noted.
The others of that way fetch all of the same over the network and drop it, as with a disk that holds nothing.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import TypeVar

from rampa.core.install.delivery import Delivery, Located
from rampa.core.install.install import Installation
from rampa.core.install.located import size_of
from rampa.system import CLOCK

Fetch = Callable[[], Located]
Answer = TypeVar("Answer", bytes, Located)


class Noting:
    """A delivery that notes what is fetched of another: each call, to be made again, and how many bytes came."""

    def __init__(self, inner: Delivery) -> None:
        self._inner = inner
        self.fetches: list[Fetch] = []
        self.sizes: list[int] = []

    def manifest(self, digest: bytes) -> bytes:
        return self._noted(partial(self._inner.manifest, digest))

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return self._noted(partial(self._inner.manifest_difference, digest, base))

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> Located:
        return self._noted(partial(self._inner.locations, depots, base, base_depots))

    def keys(self) -> Mapping[bytes, bytes]:
        return self._inner.keys()

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return self._noted(partial(self._inner.read, pack, offset, size))

    def _noted(self, fetch: Callable[[], Answer]) -> Answer:
        data = fetch()
        self.fetches.append(fetch)
        self.sizes.append(size_of(data))
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
        self._known: dict[tuple[int, int], list[Fetch]] = {}

    def bring(self, have: int, build: int) -> int:
        """Downloads what a device with `have` (0: nothing) lacks of `build`; bytes. Raises as an installer and a delivery do."""
        known = self._known.get((have, build))
        if known is None:
            noting = self._first(have, build)
            self._known[have, build] = noting.fetches
            return sum(noting.sizes)
        return sum(size_of(fetch()) for fetch in known)

    def _first(self, have: int, build: int) -> Noting:
        at = self._folder / f"{have}-{build}"
        shutil.rmtree(at, ignore_errors=True)
        if have:
            shutil.copytree(self._installed(have), at, symlinks=True)
        noting = Noting(self._delivery(build))
        installation = Installation(at, self._identifier, self._key, clock=CLOCK)
        installation.update(self._envelope(build), noting, back=True)
        return noting

    def _installed(self, build: int) -> Path:
        """A folder in which the build is installed; one more device's worth of download where there is none yet."""
        for have, to in self._known:
            if to == build:
                return self._folder / f"{have}-{to}"
        self.bring(0, build)
        return self._folder / f"0-{build}"
