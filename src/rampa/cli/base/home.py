"""Where the command line keeps what it knows: the address of the service, the token, attempts and folder indexes."""

from __future__ import annotations

import datetime as dt
import json
import os
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path

from rampa.core.errors import Denied, Invalid
from rampa.core.files import replace_file

FILE = "signed-in.json"


@dataclass(frozen=True)
class Credentials:
    address: str
    token: str = ""
    email: str = ""


def folder() -> Path:
    """RAMPA_HOME, else the user's data folder."""
    given = os.environ.get("RAMPA_HOME")
    if given:
        return Path(given)
    from platformdirs import user_data_path

    return user_data_path("rampa")


def load() -> Credentials | None:
    """RAMPA_ADDRESS and RAMPA_TOKEN, where they are set, else what sign-in kept."""
    address, token = os.environ.get("RAMPA_ADDRESS", ""), os.environ.get("RAMPA_TOKEN", "")
    try:
        kept = Credentials(**json.loads((folder() / FILE).read_text()))
    except (OSError, ValueError, TypeError):
        kept = None
    if address or token:
        return Credentials(address or (kept.address if kept else ""), token or (kept.token if kept else ""))
    return kept


def must_load() -> Credentials:
    found = load()
    if found is None or not found.address or not found.token:
        raise Denied("sign-in.needed", "you are not signed in", hint="Run `rampa sign-in` first.")
    return found


def address() -> str:
    """For what needs no sign-in. Raises `Invalid` where no address is known."""
    found = load()
    if found is None or not found.address:
        raise Invalid("address.missing", "no service is known here", hint="Say --address, or set RAMPA_ADDRESS.")
    return found.address


def save(credentials: Credentials) -> None:
    """Readable by its owner only, from the first byte on."""
    home = folder()
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    replace_file(home / FILE, json.dumps(asdict(credentials), indent=1).encode(), 0o600)


def last_seen(what: str) -> dt.datetime | None:
    """When this machine's person last looked at something; None the first time."""
    try:
        return dt.datetime.fromisoformat((folder() / what).read_text().strip())
    except (OSError, ValueError):
        return None


def saw(what: str, at: dt.datetime) -> None:
    """A folder that cannot be written to costs nothing but the memory."""
    with suppress(OSError):
        folder().mkdir(parents=True, exist_ok=True, mode=0o700)
        replace_file(folder() / what, at.isoformat().encode(), 0o600)
