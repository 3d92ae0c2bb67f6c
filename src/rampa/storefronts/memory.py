"""A storefront in memory, for tests: it forgets everything with its process, and says so by its name."""

from __future__ import annotations

import hashlib
from dataclasses import replace

from rampa.core.bundle.sources import ByteSource, read_through
from rampa.core.errors import Damaged, NotFound, Refused
from rampa.storefronts.port import Delivered, LineName


class MemoryStorefront:
    """Keeps what was delivered by line."""

    name = "in memory"

    def __init__(self) -> None:
        self._lines: dict[LineName, dict[int, Delivered]] = {}
        self._known: dict[str, dict[int, str]] = {}
        """Identifier -> version code -> SHA-256 of the bundle that it was burned by."""

    def deliver(self, line: LineName, build: Delivered, bundle: ByteSource) -> None:
        there = self._lines.setdefault(line, {})
        if there.get(build.version_code) == build:
            return
        highest = self.highest_code(line.identifier)
        known = self._known.setdefault(line.identifier, {})
        if build.version_code <= highest and known.get(build.version_code) != build.sha256:
            message = f"version code {build.version_code:,} is not above {highest:,}, which {line.identifier} has had"
            raise Refused("storefront.code", message, hint="Build again: the next version code is higher.")
        digest = hashlib.sha256()
        for piece in read_through(bundle, 0, bundle.size):
            digest.update(piece)
        if digest.hexdigest() != build.sha256:
            raise Damaged("storefront.bundle", "the bundle that arrived is not the one that was announced")
        there[build.version_code] = build
        known[build.version_code] = build.sha256

    def widen(self, line: LineName, version_code: int, share: int) -> None:
        build = self._found(line, version_code)
        if share < build.share:
            message = f"{build.share} % of the players have it already, and {share} % would be fewer"
            raise Refused("storefront.share", message, hint="Hold it, or withdraw it.")
        self._lines[line][version_code] = replace(build, share=share)

    def withdraw(self, line: LineName, version_code: int) -> None:
        self._lines.get(line, {}).pop(version_code, None)

    def live(self, line: LineName) -> list[Delivered]:
        return sorted(self._lines.get(line, {}).values(), key=lambda b: -b.version_code)

    def highest_code(self, identifier: str) -> int:
        return max(self._known.get(identifier, {}), default=0)

    def _found(self, line: LineName, version_code: int) -> Delivered:
        build = self._lines.get(line, {}).get(version_code)
        if build is None:
            message = f"version code {version_code:,} is not live on {line.channel} of {self.name}"
            raise NotFound("storefront.unknown", message)
        return build
