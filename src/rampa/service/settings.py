"""What a service process is told beside what all processes are: its console, its cookies, its proxies."""

from __future__ import annotations

import ipaddress
import os
from dataclasses import dataclass
from pathlib import Path

from rampa.core.errors import Invalid
from rampa.operations.base.environment import ProcessSettings


@dataclass(frozen=True)
class ServiceSettings:
    """`console` is the folder of the built console, or None."""

    process: ProcessSettings
    console: Path | None
    secure_cookies: bool = False
    proxies: frozenset[str] = frozenset()
    """Addresses of proxies whose word for a client's address is taken."""
    factor_needed: bool = False
    """Owners and engineers need a second factor."""

    @classmethod
    def from_environment(cls) -> ServiceSettings:
        console = os.environ.get("RAMPA_CONSOLE", "")
        return cls(
            process=ProcessSettings.from_environment(),
            console=Path(console) if console else None,
            secure_cookies=os.environ.get("RAMPA_SECURE_COOKIES") == "1",
            factor_needed=os.environ.get("RAMPA_SECOND_FACTOR") == "1",
            proxies=_proxies(os.environ.get("RAMPA_PROXIES", "")),
        )


def _proxies(text: str) -> frozenset[str]:
    try:
        return frozenset(str(ipaddress.ip_address(part.strip())) for part in text.split(",") if part.strip())
    except ValueError as error:
        hint = "Name each by its address, with commas between them."
        raise Invalid("settings.proxies", f"RAMPA_PROXIES: {error}", where="RAMPA_PROXIES", hint=hint) from error
