"""rampa player-pack …: a build's content laid out for those who install it anew."""

from __future__ import annotations

import time

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build
from rampa.cli.base.output import duration, err, facts, mb, print_json
from rampa.cli.base.progress import Bars
from rampa.cli.content.ways import ways_of_packing
from rampa.client import Client
from rampa.core.content.layout.life import NEVER_ASKED, UNDER_WAY, LayoutState
from rampa.core.quantity import counted
from rampa.schema import layout as wire

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="A build laid out for those who install it anew.")
BUILD = typer.Argument(..., metavar="BUILD", help="As in peatlight#14.")
WAIT = typer.Option(False, "--wait", help="Wait until they are made.")
STATES = {
    NEVER_ASKED: "not asked for: they are made when a build is placed for many devices, or for everybody",
    LayoutState.WAITING: "asked for; the worker tries ways of packing",
    LayoutState.SKIPPED: "none",
    LayoutState.STOPPED: "stopped",
}
LOOK = 0.5


@app.command("show")
def show(build: str = BUILD, title: str = TITLE, as_json: bool = JSON) -> None:
    """How far they are, how they were chosen, and what a fresh install costs with and without them."""
    with signed_in() as client:
        slug, number = the_build(client, build, title)
        found = client.updates.player_packs(slug, number)
    _say(found, as_json)


@app.command("make")
def make(build: str = BUILD, title: str = TITLE, wait: bool = WAIT, yes: bool = YES, as_json: bool = JSON) -> None:
    """Make them in the background, or go on with stopped ones. Placing a build for many devices asks for them by itself."""
    with signed_in() as client:
        slug, number = the_build(client, build, title)
        found = client.updates.player_packs(slug, number)
        if found.state == LayoutState.READY:
            err().print(
                f"Devices use {counted(found.packs, 'pack')} now; until new ones are ready they take small frames."
            )
            if not confirmed("Measure and make them again?", yes):
                raise typer.Exit(1)
        if found.state not in UNDER_WAY:
            found = client.updates.make_player_packs(slug, number)
        if wait:
            found = _follow(client, slug, number, found, as_json)
    _say(found, as_json)


@app.command("stop")
def stop(build: str = BUILD, title: str = TITLE, as_json: bool = JSON) -> None:
    """Stop making them. What is there is kept for some days: going on begins behind it."""
    with signed_in() as client:
        slug, number = the_build(client, build, title)
        found = client.updates.stop_player_packs(slug, number)
    _say(found, as_json)


def _follow(client: Client, slug: str, number: int, found: wire.LayoutOut, quiet: bool) -> wire.LayoutOut:
    with Bars({"try": "trying ways of packing", "pack": "packing for players"}, quiet) as bars:
        while found.state in UNDER_WAY:
            phase, total = ("pack", found.content) if found.content else ("try", 1)
            bars.show(phase, found.done, total, found.note)
            time.sleep(LOOK)
            found = client.updates.player_packs(slug, number)
    return found


def _say(found: wire.LayoutOut, as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    rows: list[tuple[str, object]] = [("packs for players", _state(found))]
    if found.note:
        rows.append(("why" if found.state == LayoutState.SKIPPED else "trouble", found.note))
    rows.append(("fresh install", _fresh(found)))
    if found.state in UNDER_WAY and found.expected:
        rows.append(("then about", mb(found.expected)))
    facts(rows)
    if found.choice:
        ways_of_packing(found.choice)


def _state(found: wire.LayoutOut) -> str:
    if found.state == LayoutState.READY:
        return f"{counted(found.packs, 'pack')}, {mb(found.size)} of {mb(found.content)} of content"
    if found.state == LayoutState.MAKING:
        left = "" if found.left is None else f"; about {duration(found.left)} left"
        return f"{mb(found.done)} of {mb(found.content)} packed, {mb(int(found.rate))}/s{left}"
    if found.state == LayoutState.STOPPED:
        return f"stopped; {mb(found.done)} of {mb(found.content)} are packed" if found.done else "stopped"
    return STATES[found.state]


def _fresh(found: wire.LayoutOut) -> str:
    if found.plain <= found.fresh:
        return mb(found.fresh)
    return f"{mb(found.fresh)}; {mb(found.plain)} without ({1 - found.fresh / found.plain:.0%} less)"
