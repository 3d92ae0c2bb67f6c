"""The live view of runs in a terminal: a line each, and the end of the newest log. Elsewhere, lines as things happen."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Iterable

from rich.console import Group
from rich.live import Live
from rich.table import Table
from rich.text import Text

from rampa.cli.base.output import duration, err
from rampa.cli.base.terminal import shown
from rampa.cli.runs.tables import MARKS, STYLES
from rampa.client import Client
from rampa.core.errors import RampaError
from rampa.core.quantity import counted
from rampa.core.run.life import ENDED, RunState
from rampa.schema.runs import LineOut, LogOut, Run

FAILED, STOPPED = 10, 11
TAIL = 12
FRAMES = "⠋⠙⠹⠸⠼⠴⠦⠧⠇⠏"
LEVELS = {"error": "bold red", "warning": "yellow", "rampa": "dim"}


class Watched:
    """One run, followed by a thread of its own: its state as last heard, when that was, its last lines."""

    def __init__(self, client: Client, title: str, number: int) -> None:
        self.run: Run = client.runs.get(title, number)
        self.heard = time.monotonic()
        self.lines: list[LineOut] = list(self.run.tail)
        self.error: RampaError | None = None
        self.over = threading.Event()
        self._client, self._title, self._number = client, title, number
        if self.run.state in ENDED:
            self.over.set()
        else:
            threading.Thread(target=self._follow, daemon=True).start()

    def _follow(self) -> None:
        try:
            for event in self._client.runs.watch(self._title, self._number, after=self.run.log_lines):
                if isinstance(event, LogOut):
                    self._add(event)
                else:
                    self.run, self.heard = event, time.monotonic()
        except RampaError as error:
            self.error = error
        self.over.set()

    def _add(self, more: LogOut) -> None:
        # Only the end of it can be seen; a batch can hold thousands of lines.
        fresh = more.rows[-TAIL:]
        first = more.start + len(more.rows) - len(fresh)
        self.lines += [
            LineOut(number=first + n, ms=ms, step=step, level=level, text=text)
            for n, (ms, step, level, text) in enumerate(fresh)
        ]
        del self.lines[:-TAIL]

    @property
    def since(self) -> float:
        """Seconds that passed since the run was last heard of; its own seconds go on with them."""
        return time.monotonic() - self.heard if self.run.state in (RunState.WORKING, RunState.STOPPING) else 0.0


def watch_runs(client: Client, title: str, numbers: list[int]) -> int:
    """Until all ended, or Ctrl-C. Returns the exit code."""
    watched = [Watched(client, title, n) for n in numbers]
    try:
        if sys.stdout.isatty():
            _live(watched)
        else:
            _lines(watched)
    except KeyboardInterrupt:
        open_ = [str(w.run.number) for w in watched if not w.over.is_set()]
        err().print(f"They go on. Watch again: rampa run watch {' '.join(open_)}")
        return 130
    lost = next((w.error for w in watched if w.error), None)
    if lost is not None:
        raise lost
    _last_words(watched)
    states = {w.run.state for w in watched}
    return FAILED if RunState.FAILED in states else STOPPED if states - {RunState.DONE} else 0


def _live(watched: list[Watched]) -> None:
    with Live(refresh_per_second=8, transient=False, vertical_overflow="crop") as live:
        while True:
            ended = all(w.over.is_set() for w in watched)
            live.update(_view(watched, live.console.size.height))
            if ended:
                return
            time.sleep(0.12)


def _view(watched: list[Watched], height: int) -> Group:
    grid = Table(box=None, pad_edge=False, header_style="dim", show_header=True, expand=True)
    for name, right, ratio in COLUMNS:
        grid.add_column(name, justify="right" if right else "left", ratio=ratio, no_wrap=True, overflow="ellipsis")
    for w in watched:
        grid.add_row(*_row(w))
    done = sum(w.over.is_set() for w in watched)
    head = Text(f"{done} of {counted(len(watched), 'run')} ended", style="dim")
    room = max(3, min(TAIL, height - len(watched) - 6))
    return Group(head, grid, Text(), *_tail(watched, room))


COLUMNS = (("run", True, None), ("profile", False, None), ("", False, None), ("step", False, 2), ("so far", True, None),
           ("left", True, None), ("agent", False, None), ("", False, 3))  # fmt: skip


def _row(w: Watched) -> tuple[Text | str, ...]:
    run = w.run
    so_far = duration(run.seconds + w.since) if run.taken_at else "-"
    left = "" if run.left is None or run.state in ENDED else f"{duration(max(0.0, run.left - w.since))}"
    if run.left is not None and run.left - w.since <= 0 and run.state == RunState.WORKING:
        left = "longer than usual"
    return (str(run.number), run.profile, _mark(w), _step(w), so_far, left, run.agent or "-", _says(w))


def _mark(w: Watched) -> Text:
    if w.run.state == RunState.WORKING:
        return Text(FRAMES[int(time.monotonic() * 8) % len(FRAMES)] + " working", style="yellow")
    return Text(f"{MARKS.get(w.run.state, '·')} {w.run.state}", style=STYLES.get(w.run.state, ""))


def _step(w: Watched) -> str:
    run = w.run
    if not run.step or run.state in ENDED:
        return ""
    share = f" {run.progress:.0%}" if run.progress is not None else ""
    return f"{run.step} {run.step_number}/{run.step_count}{share}"


def _says(w: Watched) -> Text:
    run = w.run
    if run.cause:
        return Text(run.cause.sentence, style="red")
    if run.waits_for:
        return Text(run.waits_for, style="dim")
    if run.silent:
        return Text(f"silent for {duration(run.silent + w.since)}", style="yellow")
    if run.build:
        return Text(f"{run.title}#{run.build}", style="green")
    return Text(counted(run.warnings, "warning") if run.warnings else "", style="dim")


def _tail(watched: list[Watched], room: int) -> Iterable[Text]:
    """The end of the log of the run that spoke last."""
    speaking = [w for w in watched if w.lines and w.run.state not in ENDED] or [w for w in watched if w.lines]
    if not speaking:
        return
    w = max(speaking, key=lambda w: w.heard)
    yield Text(f"run {w.run.number}, {w.run.profile}", style="dim")
    for line in w.lines[-room:]:
        text = Text(f"{line.number:>6} ", style="dim", no_wrap=True, overflow="ellipsis")
        text.append(line.text, style=LEVELS.get(line.level, "not dim"))
        yield text


def _lines(watched: list[Watched]) -> None:
    """A line whenever a run moves, for logs of other tools."""
    seen: dict[int, tuple[str, str]] = {}
    while True:
        ended = all(w.over.is_set() for w in watched)
        for w in watched:
            now = (w.run.state, w.run.step)
            if seen.get(w.run.number) != now:
                seen[w.run.number] = now
                step = f" {_step(w)}" if w.run.step and w.run.state not in ENDED else ""
                says = _says(w).plain
                line = f"run {w.run.number} {w.run.profile}: {w.run.state}{step}{': ' + says if says else ''}"
                print(shown(line), flush=True)
        if ended:
            return
        time.sleep(0.2)


def _last_words(watched: list[Watched]) -> None:
    for w in watched:
        if w.run.cause:
            err().print(Text(f"run {w.run.number} {w.run.profile}: {w.run.cause.sentence}.", style="red"))
            err().print(Text(f"  {w.run.cause.fix}  Log: rampa run log {w.run.number}", style="dim"))
