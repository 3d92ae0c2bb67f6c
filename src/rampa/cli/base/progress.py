"""Progress of long work: bytes, rate, time left, and how much was there already. On a terminal a bar, elsewhere lines."""

from __future__ import annotations

import sys
import time
from types import TracebackType

from rich.progress import (
    BarColumn,
    DownloadColumn,
    Progress,
    ProgressColumn,
    Task,
    TaskID,
    TextColumn,
    TimeRemainingColumn,
)
from rich.text import Text

from rampa.cli.base.output import err, mb

EVERY = 2.0
"""Seconds between lines where there is no terminal."""


class RateColumn(ProgressColumn):
    """Bytes a second; nothing while there is nothing to tell."""

    def render(self, task: Task) -> Text:
        seconds = task.finished_time or task.elapsed or 0
        return Text(f"{mb(int(task.completed / seconds))}/s" if seconds > 0.01 else "", style="dim", justify="right")


class Bars:
    """One bar a phase, in the order in which phases start. `words` gives each phase its sentence."""

    def __init__(self, words: dict[str, str], quiet: bool = False) -> None:
        self._words = words
        self._quiet = quiet
        self._live = sys.stderr.isatty() and not quiet
        self._tasks: dict[str, TaskID] = {}
        self._started: dict[str, float] = {}
        self._said: dict[str, float] = {}
        self._progress = Progress(
            TextColumn("{task.description}"),
            BarColumn(bar_width=28, complete_style="yellow", finished_style="green"),
            DownloadColumn(),
            RateColumn(),
            TimeRemainingColumn(elapsed_when_finished=True),
            TextColumn("{task.fields[note]}", style="dim"),
            console=err(),
            disable=not self._live,
        )

    def __enter__(self) -> Bars:
        self._progress.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._progress.stop()

    def show(self, phase: str, done: int, total: int, note: str = "") -> None:
        if self._live:
            self._bar(phase, done, total, note)
        elif not self._quiet:
            self._line(phase, done, total, note)

    def _bar(self, phase: str, done: int, total: int, note: str) -> None:
        if phase not in self._tasks:
            self._tasks[phase] = self._progress.add_task(f"{self._words[phase]:<22}", total=total, note=note)
        self._progress.update(self._tasks[phase], completed=done, total=total, note=note)

    def _line(self, phase: str, done: int, total: int, note: str) -> None:
        now = time.monotonic()
        started = self._started.setdefault(phase, now)
        ended = done >= total
        # The end is said only when the phase was long enough to be spoken of before.
        if now - self._said.get(phase, started) < EVERY and not (ended and phase in self._said):
            return
        self._said[phase] = now
        rate = done / max(now - started, 0.001)
        left = f", {(total - done) / rate:.0f} s left" if rate and not ended else ""
        note = f" ({note})" if note else ""
        sys.stderr.write(f"{self._words[phase]}: {mb(done)} of {mb(total)}, {mb(int(rate))}/s{left}{note}\n")
