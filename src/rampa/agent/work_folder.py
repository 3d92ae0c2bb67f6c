"""A run's own folder on the agent's machine, and what becomes of it; what a killed agent left is ended and removed.

runs/<title>-<run>-<attempt>/
    source/  out/  home/  tmp/  bundle/   pid: what runs in it now
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
from dataclasses import dataclass
from pathlib import Path

import psutil

from rampa.agent.settings import AgentSettings
from rampa.schema.agents import Work

FAILED = "failed"


@dataclass(frozen=True)
class WorkFolder:
    """`user` is whom its files belong to; None: the agent itself."""

    root: Path
    user: int | None

    @property
    def source(self) -> Path:
        return self.root / "source"

    @property
    def out(self) -> Path:
        return self.root / "out"

    @property
    def home(self) -> Path:
        return self.root / "home"

    @property
    def tmp(self) -> Path:
        return self.root / "tmp"

    @property
    def bundle(self) -> Path:
        return self.root / "bundle"

    @property
    def symbols(self) -> Path:
        return self.root / "symbols"

    def own(self, folder: Path) -> None:
        """Gives a folder and all in it to the run's user; links are not followed."""
        if self.user is not None:
            give(folder, self.user)

    def mark(self, pid: int) -> None:
        """Remembers what runs here, so that a later start of the agent can end it."""
        with contextlib.suppress(psutil.Error):
            # The start time tells it from another process that gets the same number later.
            started = psutil.Process(pid).create_time()
            (self.root / "pid").write_text(json.dumps({"pid": pid, "started": started}))


def give(folder: Path, user: int) -> None:
    os.chown(folder, user, user)
    for at, folders, files in os.walk(folder):
        for name in (*folders, *files):
            os.chown(os.path.join(at, name), user, user, follow_symlinks=False)


def make_folder(settings: AgentSettings, work: Work, slot: int) -> WorkFolder:
    root = settings.runs / f"{work.title}-{work.run}-{work.attempt}"
    remove(root)
    folder = WorkFolder(root, settings.uid(slot))
    for path in (root, folder.source, folder.out, folder.home, folder.tmp, folder.bundle, folder.symbols):
        path.mkdir(parents=True, mode=0o755)
    for path in (folder.source, folder.out, folder.home, folder.tmp):
        folder.own(path)
    # Nobody else's business, also where there is no sandbox: each run side by side has a user of its own.
    root.chmod(0o700)
    if folder.user is not None:
        os.chown(root, folder.user, folder.user)
    return folder


def finish_folder(settings: AgentSettings, folder: WorkFolder, result: str) -> None:
    """By policy: `never` keeps none, `failed` the latest of failed runs, `always` the latest of all."""
    if settings.keep == "never" or (settings.keep == "failed" and result != FAILED):
        remove(folder.root)
    kept = [f for f in folders(settings) if f != folder.root and not _lives(f)]
    # The latest kept ones include this run's, so one less of the others stays.
    for old in kept[: max(0, len(kept) - settings.kept + 1)]:
        remove(old)


def folders(settings: AgentSettings) -> list[Path]:
    """Oldest first."""
    if not settings.runs.is_dir():
        return []
    return sorted((f for f in settings.runs.iterdir() if f.is_dir()), key=lambda f: f.stat().st_mtime)


def tidy(settings: AgentSettings) -> tuple[int, int]:
    """Removes all work folders in which nothing runs: (how many, bytes)."""
    gone = [f for f in folders(settings) if not _lives(f)]
    size = sum(f.lstat().st_size for root in gone for f in root.rglob("*") if f.is_file() and not f.is_symlink())
    for root in gone:
        remove(root)
    return len(gone), size


def end_leftovers(settings: AgentSettings) -> int:
    """Ends what an earlier process of this agent left running. Returns how many."""
    ended = 0
    for root in folders(settings):
        one = _process(root)
        if one is not None:
            # Children first: a parent that is ended first may leave them to the system, and they are no longer found.
            for each in [*one.children(recursive=True), one]:
                with contextlib.suppress(psutil.Error):
                    each.kill()
            ended += 1
        (root / "pid").unlink(missing_ok=True)
    return ended


def _process(root: Path) -> psutil.Process | None:
    """What runs in the folder: the very process, not another that got its number later."""
    try:
        said = json.loads((root / "pid").read_text())
        one = psutil.Process(said["pid"])
        return one if abs(one.create_time() - said["started"]) < 0.1 and one.status() != "zombie" else None
    except (OSError, ValueError, KeyError, psutil.Error):
        return None


def _lives(root: Path) -> bool:
    return _process(root) is not None


def remove(root: Path) -> None:
    """Also what a step made read-only."""
    if not root.exists():
        return
    for at, names, _ in os.walk(root):
        for name in names:
            path = os.path.join(at, name)
            if not os.path.islink(path):
                with contextlib.suppress(OSError):
                    os.chmod(path, 0o700)
    shutil.rmtree(root, ignore_errors=True)
