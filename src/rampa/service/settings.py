"""What a service process is told, from its environment. Every variable is in docs/operating.md."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from rampa.core.errors import Invalid


@dataclass(frozen=True)
class Settings:
    """`console` is the folder of the built console, or None."""

    database_url: str
    store: Path
    master_key: bytes
    console: Path | None
    secure_cookies: bool = False

    @classmethod
    def from_environment(cls) -> Settings:
        console = os.environ.get("RAMPA_CONSOLE", "")
        return cls(
            database_url=_needed("RAMPA_DATABASE_URL", "a PostgreSQL address, such as postgresql+psycopg://…"),
            store=Path(_needed("RAMPA_STORE", "the folder of the content store")),
            master_key=_read_key(Path(_needed("RAMPA_MASTER_KEY_FILE", "a file that holds 64 hexadecimal digits"))),
            console=Path(console) if console else None,
            secure_cookies=os.environ.get("RAMPA_SECURE_COOKIES") == "1",
        )


def _needed(name: str, what: str) -> str:
    value = os.environ.get(name, "")
    if not value:
        raise Invalid("settings.missing", f"the environment variable {name} is not set", hint=f"It is {what}.")
    return value


def _read_key(path: Path) -> bytes:
    try:
        key = bytes.fromhex(path.read_text().strip())
    except (OSError, ValueError) as error:
        raise Invalid("settings.master-key", "the master key cannot be read", where=str(path)) from error
    if len(key) != 32:
        raise Invalid("settings.master-key", "the master key must be 64 hexadecimal digits", where=str(path))
    return key
