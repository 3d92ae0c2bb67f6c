"""Data to standard output, all else to standard error; tables for people, JSON for scripts."""

from __future__ import annotations

import codecs
import datetime as dt
import json
import sys
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from typing import Any, Protocol

from pydantic import BaseModel
from rich import box
from rich.console import Console
from rich.table import Table
from rich.text import Text

from rampa.cli.base.terminal import TextConsole, shown, shown_in_json
from rampa.core.check.findings import Finding
from rampa.core.quantity import hours
from rampa.core.submission.expected import Usual

UNFOLDED = 240
"""Columns where there is no terminal: a pipe or a log gets one line a row."""
BLOCKED, WARNED = 6, 9
"""Exit codes of a check that found a blocker, or warnings alone."""
SEVERITY = {"blocker": ("■ blocker", "bold red"), "warning": ("▲ warning", "yellow"), "note": ("● note", "cyan")}


def out() -> Console:
    return _console(sys.stdout.isatty(), stderr=False)


def err() -> Console:
    return _console(sys.stderr.isatty(), stderr=True)


def _console(terminal: bool, stderr: bool) -> Console:
    return TextConsole(stderr=stderr, highlight=False, markup=False, emoji=False, width=None if terminal else UNFOLDED)


def print_json(value: BaseModel | Sequence[Any] | dict[str, Any]) -> None:
    """Wire types, core values and lists of them."""
    if isinstance(value, BaseModel):
        text = value.model_dump_json(indent=1)
    elif isinstance(value, dict):
        text = json.dumps(value, indent=1, default=str)
    else:
        text = json.dumps([_plain(v) for v in value], indent=1)
    sys.stdout.write(shown_in_json(text) + "\n")


def print_text(pieces: Iterable[bytes]) -> None:
    """Text of others to standard output: as it is into a file or a pipe, without what commands a terminal on one."""
    terminal, decoder = sys.stdout.isatty(), codecs.getincrementaldecoder("utf-8")("replace")
    for piece in pieces:
        if terminal:
            sys.stdout.write(shown(decoder.decode(piece)))
        else:
            sys.stdout.buffer.write(piece)
        sys.stdout.flush()


def _plain(value: Any) -> Any:
    return value.model_dump(mode="json") if isinstance(value, BaseModel) else asdict(value)


def ruled(**more: Any) -> Table:
    """An empty table as all commands draw theirs: a line under the heads, no frame."""
    return Table(box=box.SIMPLE_HEAD, pad_edge=False, header_style="dim", show_edge=False, **more)


def table(columns: Sequence[str], rows: Iterable[Sequence[object]], empty: str = "") -> None:
    """`>name` holds numbers, aligned to the right; `~name` is free text that may fold. The others keep to one line."""
    listed = list(rows)
    if not listed:
        err().print(empty or "There is nothing yet.")
        return
    grid = ruled()
    for column in columns:
        right, free = column.startswith(">"), column.startswith("~")
        grid.add_column(column.lstrip(">~"), justify="right" if right else "left", no_wrap=not free, overflow="fold")
    for row in listed:
        grid.add_row(*(cell if isinstance(cell, Text) else str(cell) for cell in row))
    out().print(grid)


def facts(rows: Iterable[tuple[str, object]]) -> None:
    """Names and values, one a line."""
    grid = Table.grid(padding=(0, 2))
    grid.add_column(style="dim", no_wrap=True)
    grid.add_column(overflow="fold")
    for name, value in rows:
        grid.add_row(name, value if isinstance(value, Text) else str(value))
    out().print(grid)


def findings(found: Sequence[Finding]) -> None:
    """Shape and word beside the colour."""
    if not found:
        return
    grid = Table.grid(padding=(0, 2))
    grid.add_column(no_wrap=True)
    grid.add_column(overflow="fold")
    for finding in found:
        word, style = SEVERITY[finding.severity]
        grid.add_row(Text(word, style=style), Text(finding.message + "."))
        grid.add_row("", Text(finding.hint, style="dim"))
    out().print(grid)


class Noted(Protocol):
    """A depot with a note on its download."""

    name: str
    note: str


def larger_downloads(depots: Sequence[Noted]) -> None:
    """Why a depot downloads more than it keeps, where one does: without a word it reads as a mistake."""
    for depot in depots:
        if depot.note:
            out().print(f"{depot.name} downloads more than it keeps: {depot.note}.", style="dim")


def mb(size: int, signed: bool = False) -> str:
    """Bytes for people: kB, MB, GB are powers of 1000."""
    sign = "+" if signed and size > 0 else ""
    magnitude = abs(size)
    if magnitude < 1000:
        return f"{sign}{size} B"
    for unit, scale in (("kB", 1e3), ("MB", 1e6), ("GB", 1e9)):
        # 999.95 would be written as 1000.0.
        if magnitude < scale * 999.95 or unit == "GB":
            return f"{sign}{size / scale:.1f} {unit}"
    return ""


def duration(seconds: float) -> str:
    if seconds < 10:
        return f"{seconds:.1f} s"
    if seconds < 60:
        return f"{seconds:.0f} s"
    minutes, rest = divmod(round(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours} h {minutes:02d} min" if hours else f"{minutes} min {rest:02d} s"


def usual_words(usual: Usual | None) -> str:
    """How long something usually takes."""
    if usual is None:
        return ""
    return f"{duration(usual.median)} (half of {usual.count}: {duration(usual.low)} to {duration(usual.high)})"


def ago(moment: dt.datetime | None) -> str:
    if moment is None:
        return "never"
    seconds = max(0.0, (dt.datetime.now(dt.UTC) - moment).total_seconds())
    return f"{round(seconds)} s ago" if seconds < 90 else f"{hours(seconds)} ago"


def moment(at: dt.datetime) -> str:
    """In the reader's zone, with the time in UTC beside it where that is another: `Sun 29 Nov, 10:00 (08:00 UTC)`."""
    here, there = at.astimezone(), at.astimezone(dt.UTC)
    utc = f"{there:%H:%M} UTC" if here.date() == there.date() else f"{there:%a %d %b, %H:%M} UTC"
    return f"{here:%a %d %b, %H:%M}" + (" UTC" if here.utcoffset() == dt.timedelta() else f" ({utc})")


def day(at: dt.datetime) -> str:
    """For what may lie a year away: `2027-11-29 08:00 UTC`."""
    return f"{at.astimezone(dt.UTC):%Y-%m-%d %H:%M} UTC"
