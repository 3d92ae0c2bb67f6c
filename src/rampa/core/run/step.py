"""A step of a plan."""

from __future__ import annotations

from dataclasses import dataclass

ELSE_SECONDS = 3600
SILENT = 120
OUTPUT = 64_000


@dataclass(frozen=True, slots=True)
class Step:
    """`kind` is a built-in's name, or `command`. Seconds, MiB (0: no limit), kB of log. `variables` as NAME=value."""

    name: str
    kind: str
    command: tuple[str, ...] = ()
    folder: str = ""
    variables: tuple[str, ...] = ()
    seconds: int = ELSE_SECONDS
    silent: int = SILENT
    memory: int = 0
    output: int = OUTPUT
    retries: int = 0
    when: str = "success"
    network: bool = False
    secrets: tuple[str, ...] = ()
    """Names of those that it gets."""

    def wanted(self, purpose: str, failed: bool) -> bool:
        """Whether it runs now, given the run's purpose and whether a step before it failed."""
        if self.when == "always":
            return True
        if self.when == "failure":
            return failed
        return not failed and self.when in ("success", purpose)
