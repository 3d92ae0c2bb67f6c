"""rampa update replay …: what past releases would have cost under other rules."""

from __future__ import annotations

import time
from pathlib import Path

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.output import BLOCKED, duration, err, facts, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.cli.content.choice import ADDON, ARCHITECTURE, LANGUAGE, QUALITY, choice_words
from rampa.client import Client
from rampa.client.profiles.documents import file_bytes
from rampa.core.content.replay.life import UNDER_WAY, ReplayState
from rampa.core.errors import Invalid
from rampa.core.profile.toml_text import checked_text
from rampa.core.quantity import counted
from rampa.schema import replays as wire

app = typer.Typer(rich_markup_mode=None, invoke_without_command=True)
LOOK = 0.5
NUMBER = typer.Argument(..., min=1, help="As `rampa update replay list` shows it.")
WAIT = typer.Option(True, "--wait/--no-wait", help="Follow it until it is done.")


@app.callback()
def replay(
    context: typer.Context,
    rules: Path | None = typer.Option(
        None,
        "--rules",
        help="A profile document, or keys of its [content] table as `rampa content tune` proposes them.",
    ),
    last: int = typer.Option(10, "--last", min=1, max=wire.MOST, help="How many releases."),
    platform: str = typer.Option("linux", "--platform", help="The platform whose builds are replayed."),
    profile: str = typer.Option("", "--profile", help="Builds of this profile; that of the newest build without it."),
    channel: str = typer.Option("", "--channel", help="Only builds that were placed on this channel."),
    players: bool = typer.Option(
        True, "--players/--no-players", help="With packs for players, which takes most of the time."
    ),
    architecture: str = ARCHITECTURE,
    language: list[str] = LANGUAGE,
    addon: list[str] = ADDON,
    quality: str = QUALITY,
    title: str = TITLE,
    wait: bool = WAIT,
    as_json: bool = JSON,
) -> None:
    """What the last releases would have cost, fresh and updating, under other rules; from the content that is kept.

    Packing, frames for players and depots are those of the rules. It is worked out at the service: Ctrl-C ends only the waiting.
    """
    if context.invoked_subcommand:
        return
    if rules is None:
        hint = "As in: rampa update replay --last 10 --rules rules.toml; list earlier ones: rampa update replay list"
        raise Invalid("rules.not-set", "which rules are tried is not said: give --rules", hint=hint)
    asked = wire.ReplayIn(
        rules=checked_text(file_bytes(rules)),
        platform=platform,
        profile=profile,
        channel=channel,
        last=last,
        players=players,
        **choice_words(architecture, language, addon, quality),
    )
    with signed_in() as client:
        slug = the_title(client, title)
        _follow(client, slug, client.updates.ask_for_replay(slug, asked), wait, as_json)


@app.command("show")
def show(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """One of them: how far it is, and what it found."""
    with signed_in() as client:
        _say(client.updates.replay(the_title(client, title), number), as_json)


@app.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """The replays of a title, the newest first."""
    with signed_in() as client:
        found = client.updates.replays(the_title(client, title))
    if as_json:
        print_json(found)
        return
    if not found.items:
        err().print("Nothing was replayed yet: rampa update replay --rules FILE")
        return
    rows = [
        (
            str(r.number),
            _state(r),
            r.profile,
            _builds(r),
            r.chosen or "everything",
            f"{r.created_at:%Y-%m-%d %H:%M}",
            r.asked_by,
        )
        for r in found.items
    ]
    table([">no.", "state", "profile", "builds", "takes", "asked", "by"], rows)


@app.command("stop")
def stop(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Stop it. What it measured is kept for `rampa update replay go-on`."""
    with signed_in() as client:
        _say(client.updates.stop_replay(the_title(client, title), number), as_json)


@app.command("go-on")
def go_on(number: int = NUMBER, title: str = TITLE, wait: bool = WAIT, as_json: bool = JSON) -> None:
    """Go on with one that was stopped or failed: frames that it measured are not measured again."""
    with signed_in() as client:
        slug = the_title(client, title)
        _follow(client, slug, client.updates.go_on_with_replay(slug, number), wait, as_json)


def _follow(client: Client, slug: str, found: wire.ReplayOut, wait: bool, as_json: bool) -> None:
    if wait:
        with Bars({"replay": f"replaying {counted(len(found.builds), 'release')}"}, as_json) as bars:
            try:
                while found.state in UNDER_WAY:
                    bars.show("replay", found.done, max(1, found.total))
                    time.sleep(LOOK)
                    found = client.updates.replay(slug, found.number)
            except KeyboardInterrupt:
                err().print(
                    f"It goes on at the service. Look: rampa update replay show {found.number}; "
                    f"stop it: rampa update replay stop {found.number}"
                )
                raise
    _say(found, as_json)
    if wait and found.state == ReplayState.FAILED:
        raise typer.Exit(BLOCKED)


def _say(found: wire.ReplayOut, as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    facts(
        [
            (f"replay {found.number}", _state(found)),
            ("of", f"{_builds(found)}, profile {found.profile}" + (f", on {found.channel}" if found.channel else "")),
            ("a device takes", found.chosen or "everything"),
        ]
    )
    if found.note:
        err().print(Text(found.note, style="red"))
    if found.releases:
        _table(found)


def _table(found: wire.ReplayOut) -> None:
    rows = [
        (
            f"#{r.build} {r.version_name}",
            mb(r.size),
            mb(r.own.fresh),
            mb(r.ruled.fresh),
            _change(r.own.fresh, r.ruled.fresh),
            "" if r.own.update is None else mb(r.own.update),
            "" if r.ruled.update is None else mb(r.ruled.update),
            _change(r.own.update or 0, r.ruled.update or 0),
        )
        for r in found.releases
    ]
    fresh = [sum(c.fresh for c in side) for side in _sides(found)]
    update = [sum(c.update or 0 for c in side) for side in _sides(found)]
    packed = [sum(c.packed for c in side) for side in _sides(found)]
    totals = ("in all", "", mb(fresh[0]), mb(fresh[1]), _change(*fresh), mb(update[0]), mb(update[1]), _change(*update))
    heads = ["release", ">size", ">fresh", ">under these", ">change", ">update", ">under these", ">change"]
    table(heads, [*rows, totals])
    out().print(f"The store: {mb(packed[0])} of small frames; {mb(packed[1])} under these rules ({_change(*packed)}).")
    today = [r for r in found.releases if r.now_fresh is not None][-1:]
    for r in today:
        update_now = "" if r.now_update is None else f", {mb(r.now_update)} as an update"
        out().print(f"As the store lies today, {r.name} costs {mb(r.now_fresh or 0)} fresh{update_now}.")
    left = max((r.ruled.undelivered for r in found.releases), default=0)
    if left:
        err().print(f"Under these rules {counted(left, 'file')} would be in no depot: they are not counted.")
    if found.players:
        out().print("Packs for players: a sample of each release is compressed, the rest follows from it.", style="dim")


def _sides(found: wire.ReplayOut) -> tuple[list[wire.ReplayedCost], list[wire.ReplayedCost]]:
    return [r.own for r in found.releases], [r.ruled for r in found.releases]


def _change(before: int, after: int) -> str:
    said = f"{after / before - 1:+.1%}" if before else ""
    return "same" if said in ("+0.0%", "-0.0%") else said


def _builds(found: wire.ReplaySummary) -> str:
    return f"#{found.builds[0]} to #{found.builds[-1]}" if len(found.builds) > 1 else f"#{found.builds[0]}"


def _state(found: wire.ReplaySummary) -> str:
    if found.state == ReplayState.RUNNING:
        left = "" if found.left is None else f", about {duration(found.left)} left"
        return f"{mb(found.done)} of {mb(found.total)}, {mb(int(found.rate))}/s{left}"
    if found.state == ReplayState.READY and found.started_at and found.ended_at:
        return f"ready, in {duration((found.ended_at - found.started_at).total_seconds())}"
    return "asked for; the worker comes to it" if found.state == ReplayState.WAITING else found.state
