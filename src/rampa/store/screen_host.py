"""The service's way to the host of simulated devices (rampa.local.screen_host): loopback, an address with a secret."""

from __future__ import annotations

import json
from dataclasses import dataclass
from urllib.parse import urlsplit

import httpx

from rampa.core.errors import KINDS, Invalid, NotFound, Unavailable

SECONDS = 20.0
LARGEST = 8_000_000


@dataclass(frozen=True)
class ScreenHostAddress:
    """`address` as bin/up prints it into RAMPA_SCREENS: http://127.0.0.1:PORT/SECRET."""

    address: str

    def __post_init__(self) -> None:
        parts = urlsplit(self.address)
        if parts.scheme != "http" or parts.hostname not in ("127.0.0.1", "localhost") or len(parts.path) < 2:
            hint = "It reads http://127.0.0.1:PORT/SECRET; bin/up sets it."
            raise Invalid("settings.screens", "RAMPA_SCREENS is no address of a host", where="RAMPA_SCREENS", hint=hint)

    def ask(self, method: str, path: str, body: str = "") -> bytes:
        """Raises what the host says, and `Unavailable` where it does not answer."""
        try:
            with httpx.Client(timeout=SECONDS, trust_env=False) as http:
                answer = http.request(method, self.address + path, content=body.encode())
        except httpx.HTTPError as error:
            hint = "bin/up starts them again by itself."
            raise Unavailable("screen.away", "the simulated devices do not answer", hint=hint) from error
        if answer.status_code == 200:
            return answer.content[:LARGEST]
        try:
            said = json.loads(answer.content)
            kind = KINDS.get(said["kind"], Unavailable)
            raise kind(said["code"], said["message"], where=said["where"], hint=said["hint"])
        except (ValueError, KeyError, TypeError) as error:
            raise Unavailable("screen.failed", f"the simulated devices answered {answer.status_code}") from error


def none_hosted() -> NotFound:
    return NotFound("screen.none", "no simulated devices run beside this service", hint="bin/up starts them.")
