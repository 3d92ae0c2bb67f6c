"""The simulated storefronts that bin/up starts: a process, a database and a folder each."""

from __future__ import annotations

import os
import secrets
import sys
from dataclasses import dataclass
from pathlib import Path

from rampa.core.platform.storefronts import STOREFRONTS
from rampa.local.keeper import Keeper
from rampa.local.postgres import Postgres
from rampa.local.service import Child, ServiceFolder, start_child

KEPT = ("PATH", "HOME", "LANG", "PYTHONPATH", "LD_LIBRARY_PATH")
"""Of this process's environment: nothing of the service's goes to a storefront."""


@dataclass(frozen=True)
class OpenShop:
    """Where players look, and where its operator does: behind a secret, which only who started this is told."""

    name: str
    title: str
    address: str
    operator: str


def open_storefronts(
    keeper: Keeper, postgres: Postgres, folder: ServiceFolder, *, known: bool = True
) -> list[OpenShop]:
    """`known`: a storefront that starts for the first time has verified the studio before."""
    return [_open(keeper, postgres, folder, name, known=known) for name in STOREFRONTS]


def _open(keeper: Keeper, postgres: Postgres, folder: ServiceFolder, name: str, *, known: bool) -> OpenShop:
    port, secret = folder.port(f"{name}.port"), secrets.token_urlsafe(16)
    title = STOREFRONTS[name].title
    keeper.keep(
        f"The storefront {title}",
        _log(folder, name),
        lambda: start_storefront(postgres, folder, name, port, secret, known=known),
    )
    address = f"http://127.0.0.1:{port}"
    return OpenShop(name, title, address, f"{address}/operator/{secret}")


def start_storefront(
    postgres: Postgres, folder: ServiceFolder, name: str, port: int, secret: str, *, known: bool = True
) -> Child:
    at = folder.root / "storefronts" / name
    at.mkdir(parents=True, exist_ok=True, mode=0o700)
    command = [sys.executable, "-m", "rampa.standin.storefront", name, "--folder", str(at), "--port", str(port)]
    command += [] if known else ["--new-studio"]
    own = {"RAMPA_STOREFRONT_DATABASE": postgres.neighbour(name), "RAMPA_OPERATOR": secret}
    kept = {variable: os.environ[variable] for variable in KEPT if variable in os.environ}
    return start_child(command, kept | own, _log(folder, name))


def _log(folder: ServiceFolder, name: str) -> Path:
    return folder.root / f"{name}.log"
