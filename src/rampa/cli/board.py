"""rampa board"""

from __future__ import annotations

import datetime as dt
import time

import typer
from rich.console import Group, RenderableType
from rich.live import Live
from rich.text import Text

from rampa.cli.base import home
from rampa.cli.base.common import JSON, signed_in
from rampa.cli.base.moments import read_moment
from rampa.cli.base.output import ago, moment, out, print_json, ruled
from rampa.client import Client
from rampa.core.errors import Invalid
from rampa.core.health.comparison import Verdict
from rampa.core.placement.life import PlacementState
from rampa.schema.board import Board, BoardBuild, BoardLine, BoardScheduled, BoardTitle

app = typer.Typer(rich_markup_mode=None, help="The board: what is live where, now or at any moment before.")
LOOK = 2.0
"""Seconds between two looks while it is watched."""
SEEN = "board-seen"
SHAPES = {
    PlacementState.PLACED: ("○", "dim"),
    PlacementState.GROWING: ("◐", "default"),
    PlacementState.HELD: ("◫", "red"),
    PlacementState.WHOLE: ("◉", "green"),
}


@app.callback(invoke_without_command=True)
def board(
    at: str = typer.Option(
        "", "--at", help="How it was then: 2026-11-29T14:30, in this machine's zone, or 3h for 3 hours ago."
    ),
    title: str = typer.Option("", "--title", help="Only this title."),
    watch: bool = typer.Option(False, "--watch", help="Stay, and show what changes, until interrupted."),
    as_json: bool = JSON,
) -> None:
    """What is live where, since when, how far, and how it goes; what waits and what stops it. Bold: new since you looked."""
    then = _moment(at) if at else None
    with signed_in() as client:
        looked = home.last_seen(SEEN)
        seen = client.board.get(then)
        if then is None:
            home.saw(SEEN, seen.at)
        if as_json:
            print_json(seen)
            return
        if not watch or then is not None:
            out().print(_drawn(seen, title, looked))
            return
        _watch(client, seen, title)


def _watch(client: Client, seen: Board, title: str) -> None:
    began = seen.at
    with Live(_drawn(seen, title, began), console=out(), auto_refresh=False) as live:
        try:
            while True:
                time.sleep(LOOK)
                live.update(_drawn(client.board.get(), title, began), refresh=True)
        except KeyboardInterrupt:
            return


def _moment(text: str) -> dt.datetime:
    """A moment of the past."""
    found = read_moment(text, ahead=False)
    if found > dt.datetime.now(dt.UTC):
        raise Invalid("board.ahead", "that moment is still to come", where="--at", hint="Leave --at out for now.")
    return found


def _drawn(seen: Board, only: str, looked: dt.datetime | None) -> Group:
    titles = [t for t in seen.titles if not only or t.slug == only]
    head = Text(f"{moment(seen.at)}", style="dim")
    return Group(head, *(part for t in titles for part in _title(t, looked)))


def _title(title: BoardTitle, looked: dt.datetime | None) -> list[RenderableType]:
    name = Text(f"\n{title.name}", style="bold")
    name.append(f"  {title.slug}", style="dim")
    if not title.lines:
        return [name, Text("Nothing was placed or built for players yet.", style="dim")]
    drawn = ruled()
    for column in ("", *title.channels, "waits"):
        drawn.add_column(column, overflow="fold")
    for line in title.lines:
        drawn.add_row(line.line, *(_cell(cell.builds, looked) for cell in line.cells), _waits(line))
    return [name, drawn, *(_planned(each) for each in title.scheduled)]


def _planned(one: BoardScheduled) -> Text:
    if one.refused:
        return Text(f"■ {one.what} did not go to {one.channel}: {one.said}", style="red")
    when = moment(one.at) if one.at else "when its gates open"
    return Text(f"… {one.what} goes to {one.channel} {when}" + (f"; now: {one.said}" if one.said else ""), style="dim")


def _cell(builds: list[BoardBuild], looked: dt.datetime | None) -> Text:
    text = Text()
    for n, build in enumerate(builds):
        shape, style = SHAPES[build.state]
        rest = len(builds) > 1 and build.state == PlacementState.WHOLE
        share = "" if build.state == PlacementState.WHOLE else f" {build.share:g} %"
        text.append("\n" if n else "")
        text.append(f"{shape} ", style=style)
        text.append(
            f"#{build.build} {build.version_name}", style="bold" if looked and build.changed_at > looked else ""
        )
        text.append(f"{' the others' if rest else share} {ago(build.since)}", style="dim")
        if build.state == PlacementState.HELD and build.why:
            text.append(f"\n  held: {build.why}", style="red")
        elif build.verdict == Verdict.WORSE:
            text.append(f"\n  worse: {build.health_said}", style="red")
        if build.next_at and build.next_share:
            waits = f", waits: {build.waits}" if build.waits else ""
            text.append(f"\n  {build.next_share:g} % {moment(build.next_at)}{waits}", style="dim")
    return text


def _waits(line: BoardLine) -> Text:
    text = Text(f"#{line.waits} {line.waits_version}" if line.waits else "")
    if line.stops:
        text.append(f"{chr(10) if line.waits else ''}{line.stops}", style="red")
    for review in line.reviews:
        said = f"#{review.build} {review.words} at {review.storefront}"
        text.append(f"{chr(10) if text else ''}{said}", style="yellow" if review.asks else "")
    return text
