"""Control groups of the kernel (cgroups(7)): what a program and all that it starts may take together, and a way to end all of it.

A program that multiplies faster than anybody looks, or takes memory between two looks, is stopped by the kernel itself; one that
left its parent is still in the group. Version 2 wants the agent in a folder that was delegated to it; version 1 root. Where a
machine gives neither, limits are watched from outside (rampa.agent.process).
"""

from __future__ import annotations

import contextlib
import itertools
import os
import signal
import time
from dataclasses import dataclass
from pathlib import Path

MOUNTED = Path("/sys/fs/cgroup")
PROCESSES = 4096
"""Of one program of a run, with all that it starts."""
WEIGHT = 2
"""A run gets one part of the processor in so many, where the agent and others want it, too."""
NAME = "rampa-"
_numbers = itertools.count(1)


@dataclass(frozen=True)
class ControlGroups:
    """`memory`, `pids` and `cpu`: folders that groups are made in; one and the same in version 2. cpu may be missing."""

    version: int
    memory: Path
    pids: Path
    cpu: Path | None

    def make(self, memory: int, processes: int = PROCESSES) -> ControlGroup:
        """`memory` in bytes, 0 for no limit. Raises `OSError`."""
        name = f"{NAME}{os.getpid()}-{next(_numbers)}"
        made = ControlGroup(self, tuple(dict.fromkeys(f / name for f in (self.memory, self.pids, self.cpu) if f)))
        try:
            for folder in made.folders:
                folder.mkdir()
            for folder, file, value in self._settings(name, memory, processes):
                (folder / name / file).write_text(str(value))
        except OSError:
            made.close()
            raise
        return made

    def _settings(self, name: str, memory: int, processes: int) -> list[tuple[Path, str, int]]:
        limit = "memory.max" if self.version == 2 else "memory.limit_in_bytes"
        share = ("cpu.weight", 100 // WEIGHT) if self.version == 2 else ("cpu.shares", 1024 // WEIGHT)
        wanted = [(self.pids, "pids.max", processes)]
        wanted += [(self.memory, limit, memory)] if memory else []
        wanted += [(self.cpu, *share)] if self.cpu else []
        return wanted


@dataclass(frozen=True)
class ControlGroup:
    kind: ControlGroups
    folders: tuple[Path, ...]

    def join(self) -> None:
        """The calling process, and all that it starts from now on. Between fork and exec."""
        # One that the machine has taken away meanwhile holds nothing, and is no reason not to run: limits are watched, too.
        with contextlib.suppress(OSError):
            for folder in self.folders:
                fd = os.open(folder / "cgroup.procs", os.O_WRONLY)
                try:
                    os.write(fd, b"0")
                finally:
                    os.close(fd)

    @property
    def ran_out(self) -> bool:
        """Whether the kernel ended something in it for want of memory."""
        file = "memory.events" if self.kind.version == 2 else "memory.oom_control"
        with contextlib.suppress(OSError, ValueError):
            said = dict(line.split() for line in (self._at(self.kind.memory) / file).read_text().splitlines())
            return int(said.get("oom_kill", 0)) > 0
        return False

    def end(self) -> None:
        """Everything in it, whatever it started and whoever its parent is."""
        # Until none is left: what multiplies makes others while they are read.
        for _ in range(300):
            with contextlib.suppress(OSError):
                (self.folders[0] / "cgroup.kill").write_text("1")
            there = self._processes()
            for process in there:
                with contextlib.suppress(OSError):
                    os.kill(process, signal.SIGKILL)
            if not there:
                return
            time.sleep(0.01)

    def close(self) -> None:
        self.end()
        for folder in self.folders:
            with contextlib.suppress(OSError):
                folder.rmdir()

    def _processes(self) -> list[int]:
        with contextlib.suppress(OSError):
            return [int(line) for line in (self._at(self.kind.pids) / "cgroup.procs").read_text().split()]
        return []

    def _at(self, parent: Path) -> Path:
        return next(folder for folder in self.folders if folder.parent == parent)


def find_groups(mounted: Path = MOUNTED) -> ControlGroups | None:
    """What this machine gives, tried once."""
    for groups in _candidates(mounted):
        _sweep(groups)
        with contextlib.suppress(OSError):
            groups.make(1 << 30).close()
            return groups
    return None


def _candidates(mounted: Path) -> list[ControlGroups]:
    own = _own()
    if (mounted / "cgroup.controllers").is_file():
        at = mounted / own.get("", "/").lstrip("/")
        # A folder with processes in it gives its children no limits: siblings are made where the agent's own is.
        return [ControlGroups(2, f, f, f) for f in (at.parent, at) if f.is_relative_to(mounted)]
    return [
        ControlGroups(1, *found)
        for found in (
            tuple(mounted / kind / own.get(kind, "/").lstrip("/") for kind in ("memory", "pids", "cpu")),
            tuple(mounted / kind for kind in ("memory", "pids", "cpu")),
        )
        if all(folder.is_dir() for folder in found)
    ]


def _own() -> dict[str, str]:
    """Controller -> the folder of this process there, from the mount; "" for version 2."""
    found = {}
    with contextlib.suppress(OSError):
        for line in Path("/proc/self/cgroup").read_text().splitlines():
            _, kinds, path = line.split(":", 2)
            found.update(dict.fromkeys(kinds.split(","), path))
    return found


def _sweep(groups: ControlGroups) -> None:
    """What agents that were killed left. One of an agent that lives may be empty only because its program has not begun."""
    for parent in {groups.memory, groups.pids, groups.cpu} - {None}:
        for left in parent.glob(f"{NAME}*") if parent else ():
            maker = left.name.removeprefix(NAME).partition("-")[0]
            if not Path(f"/proc/{maker}").exists():
                with contextlib.suppress(OSError):
                    left.rmdir()
