"""The port to storefronts: what Rampa asks of whoever brings a title to its players. Adapters lie beside it, one a storefront.

It is laid for channels whose lines a storefront delivers; nothing calls it yet. What every adapter must do, and in which
order, is the suite in tests/storefronts.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from rampa.core.bundle.sources import ByteSource


@dataclass(frozen=True, slots=True)
class LineName:
    """What a storefront orders by: a title's identifier on a platform, and the channel that players chose."""

    identifier: str
    platform: str
    channel: str


@dataclass(frozen=True, slots=True)
class Delivered:
    """A build as the storefront has it. `share` of the players get it, in per cent; `sha256` is the bundle's."""

    version_code: int
    version_name: str
    sha256: str
    share: int


class StorefrontPort(Protocol):
    """Every call can be made again with the same words: what is done already is no error.

    Raises `Unavailable` when the storefront does not answer, `Refused` with its own words when a rule of it says no,
    `NotFound` for a line that it does not have.
    """

    name: str

    def deliver(self, line: LineName, build: Delivered, bundle: ByteSource) -> None:
        """Sends a bundle and makes it the line's newest for a share of the players.

        A bundle that is live on one line may go to another. Raises `Refused` for another bundle whose version code is not
        above the highest that the identifier ever had there.
        """
        ...

    def widen(self, line: LineName, version_code: int, share: int) -> None:
        """Raises `Refused` for a share that is smaller than the one before: what players have cannot be taken away."""
        ...

    def withdraw(self, line: LineName, version_code: int) -> None:
        """Nobody is offered it any more; whoever has it keeps it."""
        ...

    def live(self, line: LineName) -> list[Delivered]:
        """What players are offered now, the highest version code first."""
        ...

    def highest_code(self, identifier: str) -> int:
        """The highest version code that the storefront has seen for an identifier, on any line; 0 where there is none."""
        ...
