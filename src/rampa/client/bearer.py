"""What a client calls with: a bearer token (RFC 6750), the same for long, or one that is renewed."""

from __future__ import annotations

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
