"""How an agent was started."""

from __future__ import annotations

import os
import platform
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import psutil

from rampa.agent.control_group import ControlGroups
from rampa.agent.isolation import Bare, Place, Sandbox, level_of
from rampa.agent.toolchains import Found, find_toolchains
from rampa.schema.agents import AbilitiesWire, ToolchainWire

UID, AGENTS, SLOTS = 61_000, 60, 64
"""The first of the users that steps run as when the agent is root: one for each run side by side, so that one cannot
touch another's files. None of them needs an entry in /etc/passwd. Agents of one machine have ranges of their own, by name."""


@dataclass(frozen=True)
class AgentSettings:
    """`folder` holds work folders and mirrors; `least_free` bytes of its disk stay free. `keep`: which work folders stay."""

    name: str
    folder: Path
    toolchains: tuple[Path, ...] = ()
    platforms: tuple[str, ...] = ()
    at_once: int = 1
    least_free: int = 256 * 1024 * 1024
    keep: str = "failed"
    kept: int = 3
    user: bool = True
    """Steps run as another user when the agent is root."""
    sandbox: Sandbox | None = None
    why_bare: str = ""
    """Why this machine has no sandbox."""
    groups: ControlGroups | None = None
    """What the kernel's own limits are set with; None: limits are watched."""

    @property
    def runs(self) -> Path:
        return self.folder / "runs"

    def uid(self, slot: int) -> int | None:
        # A sandbox shows the run's user what it needs, wherever that lies.
        first = UID + SLOTS * (zlib.crc32(self.name.encode()) % AGENTS)
        return first + slot if (self.user or self.sandbox) and os.geteuid() == 0 else None

    def place(
        self, user: int | None, writable: Sequence[Path] = (), readable: Sequence[Path] = (), *, network: bool = False
    ) -> Place:
        """Where the programs of a run run."""
        if self.sandbox is None:
            return Bare(user, self.groups)
        return replace(self.sandbox.for_run(user, writable, readable, network=network), groups=self.groups)

    def find(self) -> list[Found]:
        # As a user that no run has.
        return find_toolchains(self.toolchains, lambda shown: self.place(self.uid(SLOTS - 1), (), shown))


def abilities(settings: AgentSettings, found: list[Found]) -> AbilitiesWire:
    """What this machine can do now."""
    settings.folder.mkdir(parents=True, exist_ok=True)
    return AbilitiesWire(
        platforms=list(settings.platforms),
        toolchains=[
            ToolchainWire(
                name=f.toolchain.name,
                version=f.toolchain.version,
                licences=list(f.toolchain.licences),
                platforms=list(f.toolchain.platforms),
            )
            for f in found
        ],
        cores=os.cpu_count() or 1,
        memory=psutil.virtual_memory().total,
        disk=psutil.disk_usage(str(settings.folder)).free,
        isolation=level_of(settings.sandbox, settings.uid(0)),
        kernel_limits=settings.groups is not None,
        system=f"{platform.system()} {platform.release()} {platform.machine()}"[:200],
    )
