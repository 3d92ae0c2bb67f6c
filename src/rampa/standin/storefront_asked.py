"""A storefront as a player's device asks it: what it offers this device, and the bundle, from where the last try ended."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
from pydantic import ValidationError

from rampa.core.ambient import Clock
from rampa.core.errors import Damaged, NotFound, Unavailable
from rampa.core.files import must_fit
from rampa.core.install.from_bundle import Promised
from rampa.schema.storefronts import OfferAt

PIECE = 1 << 20
SMALL = 100_000
"""Bytes of an answer that is no bundle."""
Connect = Callable[[], httpx.Client]


class FetchStopped(Exception):
    """Its player stopped what arrives."""


class StorefrontAsked:
    """`number` is the device's own: who gets a share is drawn from it."""

    def __init__(self, connect: Connect, number: str, platform: str, clock: Clock) -> None:
        self._connect, self._number, self._platform, self._clock = connect, number, platform, clock

    def offer(self, identifier: str) -> Promised:
        """Raises `NotFound` where it offers this device nothing of it, `Damaged` for an answer that is none, `Unavailable`."""
        with self._asked(f"/title/{identifier}/{self._platform}/offer") as answer:
            body = b""
            for piece in answer.iter_bytes():
                body += piece
                if len(body) > SMALL:
                    raise Damaged("player.answer", "the storefront's answer does not end")
        try:
            said = OfferAt.model_validate_json(body)
        except ValidationError as error:
            raise Damaged("player.answer", "the storefront's answer is none that this device knows") from error
        if said.identifier != identifier:
            raise Damaged("player.answer", "the storefront offers another title", where=said.identifier)
        return Promised(identifier, self._platform, said.version_name, said.version_code, said.sha256, said.size)

    def fetch(
        self, promised: Promised, into: Path, on: Callable[[int, float], object], stopped: Callable[[], bool]
    ) -> None:
        """Goes on behind what is there. `on` is told how many bytes are there, and how many arrive a second.

        Raises `FetchStopped`, `Damaged` where more arrives than was promised, `Unavailable` where it ends too soon.
        """
        had = into.stat().st_size if into.exists() else 0
        if had == promised.size:
            return
        if had > promised.size:
            had = 0
        must_fit(into.parent, promised.size - had)
        headers = {"Range": f"bytes={had}-", "If-Range": f'"{promised.sha256}"'} if had else {}
        with self._asked(f"/title/{promised.identifier}/{self._platform}/bundle", headers) as answer:
            if answer.status_code == 200:
                had = 0
            at, began = had, self._clock.seconds()
            with into.open("r+b" if had else "wb") as out:
                out.seek(had)
                for piece in answer.iter_bytes(PIECE):
                    if stopped():
                        raise FetchStopped
                    at += len(piece)
                    if at > promised.size:
                        raise Damaged("bundle.other", "more arrives than was promised", hint="Fetch it again.")
                    out.write(piece)
                    took = self._clock.seconds() - began
                    on(at, (at - had) / took if took else 0.0)
        if at < promised.size:
            message = f"{at:,} of {promised.size:,} bytes have arrived, and the storefront ended"
            raise Unavailable("player.cut", message, hint="Go on: what is there stays.")

    @contextmanager
    def _asked(self, path: str, headers: dict[str, str] | None = None) -> Iterator[httpx.Response]:
        params = {"device": self._number}
        try:
            with self._connect() as http, http.stream("GET", path, params=params, headers=headers) as answer:
                if answer.status_code == 404:
                    raise NotFound("player.nothing", "the storefront offers this device nothing of it yet")
                if answer.status_code not in (200, 206):
                    message = f"the storefront says {answer.status_code}"
                    raise Unavailable("player.away", message, hint="Try again later.")
                yield answer
        except httpx.HTTPError as error:
            message = "the storefront does not answer, or ended in the middle of it"
            raise Unavailable("player.away", message, hint="Try again later: what is there stays.") from error
