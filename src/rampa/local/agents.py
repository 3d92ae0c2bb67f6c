"""The two agents that bin/up starts on this machine, each with a token of its own that can do nothing else."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from sqlalchemy import select

from rampa.core.signing.seal import read_masters
from rampa.db import Database, PersonRow
from rampa.local.service import ServiceFolder, start_child
from rampa.operations.base import Actor, Services
from rampa.operations.people import people
from rampa.schema.common import Role
from rampa.schema.people import NewToken
from rampa.store.address import open_store

NAMES = ("kiln-1", "loft-2")
DAYS = 365


class Agents:
    """`data` holds a folder for each; `data/demo/toolchains` is where they look for toolchains."""

    names = NAMES

    def __init__(self, root: Path, data: Path, address: str, folder: ServiceFolder, url: str) -> None:
        self._root, self._data, self._address, self._folder, self._url = root, data, address, folder, url

    def start(self, name: str) -> subprocess.Popen[bytes]:
        home = self._data / "agents" / name
        home.mkdir(parents=True, exist_ok=True)
        toolchains = self._data / "demo" / "toolchains" / name
        toolchains.mkdir(parents=True, exist_ok=True)
        token = self._token(home)
        environment = {
            **{k: v for k, v in os.environ.items() if not k.startswith("RAMPA_")},
            "RAMPA_ADDRESS": self._address,
            "RAMPA_TOKEN": token,
            "RAMPA_HOME": str(home / "home"),
        }
        words = ["agent", "start", "--name", name, "--folder", str(home), "--toolchains", str(toolchains)]
        if not all(_open_to_others(p) for p in (self._root, home, Path(sys.executable))):
            words.append("--same-user")
        return start_child([sys.executable, "-m", "rampa.cli.main", *words], environment, home / "agent.log")

    def _token(self, home: Path) -> str:
        """Kept for the next start; made again when there is none."""
        kept = home / "token"
        if kept.exists():
            return kept.read_text().strip()
        services = Services(
            Database(self._url, pool_size=1),
            open_store(self._folder.store),
            read_masters(self._folder.master_key.read_text()),
        )
        try:
            with services.db.transaction() as session:
                owner = session.scalars(
                    select(PersonRow).where(PersonRow.role == Role.OWNER).order_by(PersonRow.id)
                ).first()
            assert owner is not None
            actor = Actor(owner.id, owner.name, Role.OWNER)
            made = people.make_token(services, actor, NewToken(name=f"agent {home.name}", role=Role.AGENT, days=DAYS))
        finally:
            services.db.engine.dispose()
        fd = os.open(kept, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(fd, "w") as out:
            out.write(made.secret + "\n")
        return made.secret


def _open_to_others(path: Path) -> bool:
    """Other users can enter the folder: else steps could not run as one of them."""
    return all(p.stat().st_mode & 0o001 for p in (path.resolve(), *path.resolve().parents))
