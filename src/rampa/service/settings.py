"""What a service process is told, from its environment. Every variable is in docs/operating.md."""

from __future__ import annotations

import datetime as dt
import os
from dataclasses import dataclass
from pathlib import Path

from rampa.core.errors import Invalid
from rampa.core.signing.seal import read_masters
from rampa.operations.base.context import LEASE


@dataclass(frozen=True)
class Settings:
    """`console` is the folder of the built console, or None."""

    database_url: str
    store: Path
    master_key: tuple[bytes, ...]
    console: Path | None
    secure_cookies: bool = False
    lease: dt.timedelta = LEASE

    @classmethod
    def from_environment(cls) -> Settings:
        console = os.environ.get("RAMPA_CONSOLE", "")
        return cls(
            database_url=_needed("RAMPA_DATABASE_URL", "a PostgreSQL address, such as postgresql+psycopg://…"),
            store=Path(_needed("RAMPA_STORE", "the folder of the content store")),
            master_key=read_master_keys(),
            console=Path(console) if console else None,
            secure_cookies=os.environ.get("RAMPA_SECURE_COOKIES") == "1",
            lease=dt.timedelta(seconds=float(os.environ.get("RAMPA_LEASE_SECONDS") or LEASE.total_seconds())),
        )


def _needed(name: str, what: str) -> str:
    value = os.environ.get(name, "")
    if not value:
        raise Invalid("settings.missing", f"the environment variable {name} is not set", hint=f"It is {what}.")
    return value


def read_master_keys() -> tuple[bytes, ...]:
    """From RAMPA_MASTER_KEY, or from the file that RAMPA_MASTER_KEY_FILE names. The first seals, all of them open."""
    text = os.environ.get("RAMPA_MASTER_KEY", "")
    path = "" if text else _needed("RAMPA_MASTER_KEY_FILE", "a file that holds 64 hexadecimal digits a line")
    try:
        return read_masters(text or Path(path).read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid("settings.master-key", "the master key cannot be read", where=path) from error
    except Invalid as error:
        raise Invalid("settings.master-key", error.message, where=path or "RAMPA_MASTER_KEY") from error
