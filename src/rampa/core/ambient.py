"""The clock, sleep and randomness, as the heart gets them: handed in, never reached for. `rampa.system` has the machine's."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

Random = Callable[[int], bytes]
"""So many bytes that nobody can guess."""


class Clock(Protocol):
    def seconds(self) -> float:
        """Seconds since some moment; never going back."""

    def sleep(self, seconds: float) -> None: ...
