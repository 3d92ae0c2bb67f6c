"""The two agents that bin/up starts on this machine, each enrolled with a key of its own."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
from pathlib import Path

from rampa.agent.identity import FILE as KEY_FILE
from rampa.core.errors import NotFound
from rampa.core.signing.seal import read_masters
from rampa.db import Database
from rampa.local.service import ServiceFolder, start_child
from rampa.operations.agents import agents, enrolment
from rampa.operations.base import Services, service_actor
from rampa.store.address import open_store

NAMES = ("kiln-1", "loft-2")


class Agents:
    """`data` holds a folder for each; `data/demo/toolchains` is where they look for toolchains."""

    names = NAMES

    def __init__(self, root: Path, data: Path, address: str, folder: ServiceFolder, url: str) -> None:
        self._root, self._data, self._address, self._folder, self._url = root, data, address, folder, url

    def log(self, name: str) -> Path:
        return self._data / "agents" / name / "agent.log"

    def start(self, name: str) -> subprocess.Popen[bytes]:
        home = self._data / "agents" / name
        home.mkdir(parents=True, exist_ok=True)
        toolchains = self._data / "demo" / "toolchains" / name
        toolchains.mkdir(parents=True, exist_ok=True)
        environment = {
            **{k: v for k, v in os.environ.items() if not k.startswith("RAMPA_")},
            "RAMPA_ADDRESS": self._address,
            "RAMPA_HOME": str(home / "home"),
        }
        if not (home / KEY_FILE).exists():
            environment["RAMPA_AGENT_CODE"] = self._code(name)
        words = ["agent", "start", "--name", name, "--folder", str(home), "--toolchains", str(toolchains)]
        if not all(_open_to_others(p) for p in (self._root, home, Path(sys.executable))):
            words.append("--same-user")
        return start_child([sys.executable, "-m", "rampa.cli.main", *words], environment, self.log(name))

    def _code(self, name: str) -> str:
        """For the first start; what an earlier data folder knew under this name is forgotten."""
        services = Services(
            Database(self._url, pool_size=1),
            open_store(self._folder.store),
            read_masters(self._folder.master_key.read_text()),
        )
        actor = service_actor("bin/up")
        try:
            with contextlib.suppress(NotFound):
                agents.remove_agent(services, actor, name)
            return enrolment.make_code(services, actor, name).code
        finally:
            services.db.engine.dispose()


def _open_to_others(path: Path) -> bool:
    """Other users can enter the folder: else steps could not run as one of them."""
    return all(p.stat().st_mode & 0o001 for p in (path.resolve(), *path.resolve().parents))
