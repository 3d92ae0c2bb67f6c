"""What a simulated device keeps to report: installs, launches and sessions, until there is a network. Nothing of a person."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path

from pydantic import ValidationError

from rampa.core.files import replace_file
from rampa.core.health.comparison import Trouble
from rampa.core.health.crash import CrashReport
from rampa.schema.crashes import crash_in
from rampa.schema.health import HealthBatch, HealthEvent

FILE = "reports.json"
MOST = 500
"""Events that are kept; the oldest go first."""


class Reports:
    """FOLDER/reports.json: the number of the next batch, and what is in it."""

    def __init__(self, folder: Path) -> None:
        self._file = folder / FILE
        self._number, self._events = self._read()

    def _read(self) -> tuple[int, list[HealthEvent]]:
        try:
            kept = json.loads(self._file.read_text())
            return int(kept["number"]), [HealthEvent.model_validate(e) for e in kept["events"]]
        except (OSError, ValueError, KeyError, TypeError, ValidationError):
            # A file that was damaged costs what was in it, and never the device.
            return int(dt.datetime.now(dt.UTC).timestamp()), []

    def note(
        self,
        build: int,
        kind: Trouble,
        *,
        bad: bool,
        cause: str = "",
        seconds: float = 0.0,
        crash: CrashReport | None = None,
    ) -> None:
        event = HealthEvent(
            at=dt.datetime.now(dt.UTC),
            build=build,
            kind=kind,
            bad=bad,
            cause=cause[:60],
            seconds=round(seconds, 1),
            crash=crash_in(crash) if crash else None,
        )
        self._events = [*self._events, event][-MOST:]
        self._write()

    def batch(self, token: str, device: str, form: str) -> HealthBatch | None:
        """What is to be sent; None for nothing. The same until it was taken."""
        if not self._events or not token:
            return None
        now = dt.datetime.now(dt.UTC)
        return HealthBatch(
            token=token,
            device=device,
            number=self._number,
            sent_at=now,
            form=form,
            simulated=True,
            events=self._events,
        )

    def taken(self, batch: HealthBatch) -> None:
        """The service has them; what came meanwhile goes with the next."""
        self._events, self._number = self._events[len(batch.events) :], self._number + 1
        self._write()

    def forget(self) -> None:
        self._events = []
        self._write()

    def _write(self) -> None:
        kept = {"number": self._number, "events": [e.model_dump(mode="json") for e in self._events]}
        replace_file(self._file, json.dumps(kept).encode())
