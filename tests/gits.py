"""Small git repositories for tests."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

from rampa.store.reach import Reach
from tests.samples import DOCUMENT

ANYWHERE = Reach((Path("/"),), ("127.0.0.1", "localhost"))
"""Tests' repositories lie in scratch folders, and their hosts on loopback."""
CLEAN = {"GIT_CONFIG_GLOBAL": os.devnull, "GIT_CONFIG_NOSYSTEM": "1"}
WHO = ("-c", "user.name=Oskari", "-c", "user.email=oskari@quillback.example", "-c", "protocol.file.allow=always")


def git(root: Path, *words: str) -> str:
    kept = {k: v for k, v in os.environ.items() if not k.startswith("GIT_")}
    done = subprocess.run(
        ["git", *WHO, *words], cwd=root, env={**kept, **CLEAN}, check=True, capture_output=True, text=True
    )
    return done.stdout.strip()


def commit(root: Path, message: str, files: dict[str, str | bytes]) -> str:
    """These files, written and committed in a repository that is there."""
    for path, data in files.items():
        target = root / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data if isinstance(data, bytes) else data.encode())
        target.chmod(0o755 if path.startswith("bin/") else 0o644)
    git(root, "add", "--all")
    git(root, "commit", "-q", "--allow-empty", "-m", message)
    return git(root, "rev-parse", "HEAD")


class Repo:
    """A repository with a work tree."""

    def __init__(self, root: Path) -> None:
        self.root = root
        root.mkdir(parents=True)
        self.git("init", "-q", "--initial-branch=main")

    def git(self, *words: str) -> str:
        return git(self.root, *words)

    def commit(self, message: str, files: dict[str, str | bytes]) -> str:
        return commit(self.root, message, files)


FILES: dict[str, str | bytes] = {
    "bin/peatlight": "#!/bin/sh\necho Peatlight\n",
    "bin/peatlight.cmd": "@echo Peatlight\r\n",
    "bin/peatlight.sym": "0000 start\n",
    "data/bog.arc": bytes(range(256)) * 40,
    "locale/en.json": "{}",
    "src/fog.c": "int fog;\n",
}


def peatlight(root: Path, document: str = DOCUMENT) -> Repo:
    """A title that can be built as it stands in its repository."""
    repo = Repo(root)
    repo.commit("A night on the bog", {**FILES, "rampa.toml": document})
    return repo
