"""What a client calls with: a bearer token (RFC 6750), the same for long, or one that is renewed."""

from __future__ import annotations

import threading
import time
from collections.abc import Generator

import httpx

REFUSED = 401


class Bearer(httpx.Auth):
    """A token that somebody made. `current` is asked before each call; `renewed` once more for a call that was refused."""

    def __init__(self, token: str = "") -> None:
        self._token = token

    def current(self) -> str:
        return self._token

    def renewed(self) -> str:
        """Another token than the current one; empty where there is none."""
        return ""

    def auth_flow(self, request: httpx.Request) -> Generator[httpx.Request, httpx.Response, None]:
        token = self.current()
        if not token:
            yield request
            return
        request.headers["Authorization"] = f"Bearer {token}"
        response = yield request
        if response.status_code == REFUSED:
            again = self.renewed()
            if again:
                request.headers["Authorization"] = f"Bearer {again}"
                yield request


EARLY = 0.5
"""The share of its life after which a token is renewed."""


class RenewedBearer(Bearer):
    """Tokens of minutes, for proofs by a key: all connections of one caller share the token, and renew it in time."""

    def __init__(self) -> None:
        super().__init__()
        self._renew_at = 0.0
        self._lock = threading.Lock()

    def current(self) -> str:
        with self._lock:
            if time.monotonic() >= self._renew_at:
                self._renew()
            return self._token

    def renewed(self) -> str:
        """For a machine that slept: its clock stood still while the token grew old."""
        with self._lock:
            self._renew()
            return self._token

    def _renew(self) -> None:
        self._token, seconds = self._obtain()
        self._renew_at = time.monotonic() + EARLY * seconds

    def _obtain(self) -> tuple[str, float]:
        """A new token, and how many seconds it is good for."""
        raise NotImplementedError
