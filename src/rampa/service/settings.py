"""What a service process is told beside what all processes are: its console, its cookies."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from rampa.operations.base.environment import ProcessSettings


@dataclass(frozen=True)
class ServiceSettings:
    """`console` is the folder of the built console, or None."""

    process: ProcessSettings
    console: Path | None
    secure_cookies: bool = False

    @classmethod
    def from_environment(cls) -> ServiceSettings:
        console = os.environ.get("RAMPA_CONSOLE", "")
        return cls(
            process=ProcessSettings.from_environment(),
            console=Path(console) if console else None,
            secure_cookies=os.environ.get("RAMPA_SECURE_COOKIES") == "1",
        )
