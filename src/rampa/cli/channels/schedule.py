"""More of `rampa channel`: what is to be placed at a moment, or when gates open."""

from __future__ import annotations

import datetime as dt

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.moments import read_moment
from rampa.cli.base.output import ago, err, moment, print_json, table
from rampa.core.errors import Invalid
from rampa.core.placement.schedule import ScheduledState
from rampa.schema.schedule import Scheduled

NUMBER = typer.Argument(..., help="The scheduled placement's number.")
AT = typer.Option(
    "", "--at", help="2026-11-30T09:00 in this machine's zone, with another zone as +02:00, or in 3h, in 2d."
)
OPEN = typer.Option(False, "--when-open", help="When the channel's gates open.")
SHAPES = {
    ScheduledState.WAITING: ("… waiting", "default"),
    ScheduledState.DONE: ("○ done", "green"),
    ScheduledState.REFUSED: ("■ refused", "red"),
    ScheduledState.CANCELLED: ("cancelled", "dim"),
}


def add_to(app: typer.Typer) -> None:
    """Puts these commands beside the others of the group."""
    for name, command in (("scheduled", scheduled), ("move", move), ("cancel", cancel)):
        app.command(name)(command)


def scheduled(
    over: bool = typer.Option(False, "--over", help="Also those that are done, refused or cancelled."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """What is to be placed at a moment, or when gates open."""
    with signed_in() as client:
        found = client.schedule.all(the_title(client, title), over)
    shown(found, as_json)


def move(number: int = NUMBER, at: str = AT, when_open: bool = OPEN, title: str = TITLE, as_json: bool = JSON) -> None:
    """Move a scheduled placement to another moment, or to when gates open."""
    then = when_to_place(at, when_open)
    with signed_in() as client:
        done = client.schedule.move(the_title(client, title), number, then)
    shown([done], as_json)


def cancel(number: int = NUMBER, title: str = TITLE, yes: bool = YES, as_json: bool = JSON) -> None:
    """Cancel a scheduled placement; nothing is placed."""
    with signed_in() as client:
        slug = the_title(client, title)
        one = next((s for s in client.schedule.all(slug) if s.number == number), None)
        if one is not None:
            err().print(f"{one.what} does not go to {one.channel} {_when(one)}.", highlight=False)
        if not confirmed("Cancel it?", yes):
            raise typer.Exit(1)
        done = client.schedule.cancel(slug, number)
    shown([done], as_json)


def when_to_place(at: str, when_open: bool) -> dt.datetime | None:
    """The moment; None for when gates open. Raises `Invalid` for neither, both, or what is no moment."""
    if bool(at) == when_open:
        raise Invalid("schedule.when", "say when: --at or --when-open", where="--at", hint="Either, not both.")
    return None if when_open else read_moment(at, ahead=True)


def shown(found: list[Scheduled], as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    rows = []
    for one in found:
        shape, style = SHAPES[one.state]
        when = _when(one) if one.state == ScheduledState.WAITING else ago(one.ended_at)
        reach = one.plan or (f"{one.share:g} %" if one.share is not None else "all")
        rows.append((one.number, Text(shape, style=style), one.what, one.channel, when, reach, one.by, one.said))
    empty = "Nothing is scheduled: rampa channel place BUILD --on CHANNEL --at 2026-11-30T09:00"
    table([">number", "", "what", "channel", "when", "~share", "~by", "~said"], rows, empty)


def _when(one: Scheduled) -> str:
    return moment(one.at) if one.at else "when its gates open"
