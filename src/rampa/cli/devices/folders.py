"""A simulated device's folder, and calling the service as that device."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

import typer

from rampa.cli.base import home
from rampa.cli.base.common import signed_in
from rampa.core.errors import Invalid

if TYPE_CHECKING:
    from rampa.client import Client
    from rampa.standin.device import SimulatedDevice

FOLDER = typer.Argument(..., help="The simulated device's folder.")


def opened(folder: Path) -> SimulatedDevice:
    """Loaded here, so that `rampa device list` does not pay for the installer."""
    from rampa.standin.device import SimulatedDevice

    return SimulatedDevice(folder)


@contextmanager
def calling(device: SimulatedDevice) -> Iterator[Client]:
    """With the device's own key; one that was added before devices had keys calls as whoever is signed in."""
    from rampa.standin import ways

    with ways.calling(device) if device.identity.device_id else signed_in() as client:
        yield client


def from_link(said: str, address: str) -> tuple[str, str]:
    """(the service's address, the code) of what a tester's page shows: a code, or its whole link. Raises `Invalid`."""
    if "#" not in said:
        return (address or home.address(), said) if said else ("", "")
    link, _, code = said.rpartition("#")
    parts = urlsplit(link)
    if parts.scheme not in ("http", "https") or not parts.netloc or not code:
        hint = "Copy it from the page as it is; it reads http://HOST/device#CODE."
        raise Invalid("device.link", "this is not a link of a tester's page", where="--code", hint=hint)
    return address or f"{parts.scheme}://{parts.netloc}", code
