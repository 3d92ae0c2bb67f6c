"""rampa rollout …"""

from __future__ import annotations

import time
from dataclasses import dataclass

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import ago, err, facts, mb, moment, out, print_json, table
from rampa.client import Client
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.placement.life import LIVE, PlacementState
from rampa.core.placement.plan import plan_text, read_plan
from rampa.core.placement.share import read_share
from rampa.core.quantity import counted
from rampa.schema.channels import Placement, RollBackPreview, Rollout

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Rollouts: grow a placement, hold it, go on, roll back."
)
BUILD = typer.Argument("", help="The build, as in peatlight#14; or --release for all lines of one.")
RELEASE = typer.Option(0, "--release", help="All builds of this release, together or not at all.")
ON = typer.Option(..., "--on", help="The channel.")
WAIT = typer.Option(False, "--wait", help="Follow it until every device has it, or it is held or ends.")
LOOK = 2.0
"""Seconds between two looks at what is followed."""


@app.command("show")
def show(
    spoken: str = typer.Argument(..., help="The build, as in peatlight#14."),
    on: str = ON,
    wait: bool = WAIT,
    as_json: bool = JSON,
) -> None:
    """A rollout: its share, its plan, and all that it was."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        found = client.rollouts.get(title, on, placement_of(client, title, on, number, live=False).number)
        if wait:
            found = _followed(client, title, on, found)
    _shown([found], as_json)


@app.command("grow")
def grow(
    spoken: str = BUILD,
    on: str = ON,
    to: str = typer.Option(..., "--to", help="Percent of the devices: 5, 0.5 or all."),
    release: int = RELEASE,
    title: str = TITLE,
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Let more devices get it. Who is in stays in; a share only grows."""
    share = read_share(to, "--to") / 10
    with signed_in() as client:
        what = _what(client, spoken, release, title, on)
        err().print(f"{what.said}: {share:g} % then.", highlight=False)
        if not confirmed("Grow it?", yes):
            raise typer.Exit(1)
        if release:
            done = client.releases.grow(what.title, release, on, share)
        else:
            done = [client.rollouts.grow(what.title, on, what.placement, share)]
    _shown(done, as_json)


@app.command("plan")
def plan(
    spoken: str = BUILD,
    on: str = ON,
    said: str = typer.Option("", "--as", help="Such as: 1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days."),
    none: bool = typer.Option(False, "--none", help="No plan: it grows by hand."),
    release: int = RELEASE,
    title: str = TITLE,
    wait: bool = WAIT,
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """How it grows by itself. A first step without a time is taken at once."""
    if none == bool(said):
        raise Invalid("plan.none", "say how it grows, or --none", where="--as", hint="Either --as PLAN or --none.")
    wanted = plan_text(read_plan(said)) if said else ""
    with signed_in() as client:
        what = _what(client, spoken, release, title, on)
        err().print(f"{what.said}. Then: {wanted or 'by hand'}.", highlight=False)
        if not confirmed("Set it?", yes):
            raise typer.Exit(1)
        if release:
            done = client.releases.plan(what.title, release, on, wanted)
        else:
            done = [client.rollouts.plan(what.title, on, what.placement, wanted)]
        if wait:
            done = [_followed(client, what.title, on, each) for each in done]
    _shown(done, as_json)


@app.command("hold")
def hold(
    spoken: str = BUILD,
    on: str = ON,
    why: str = typer.Option("", "--why", help="Why; everybody reads it."),
    release: int = RELEASE,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Stop it where it is: devices that have it keep it, and no other gets it."""
    with signed_in() as client:
        what = _what(client, spoken, release, title, on)
        if release:
            done = client.releases.hold(what.title, release, on, why)
        else:
            done = [client.rollouts.hold(what.title, on, what.placement, why)]
    _shown(done, as_json)


@app.command("go-on")
def go_on(spoken: str = BUILD, on: str = ON, release: int = RELEASE, title: str = TITLE, as_json: bool = JSON) -> None:
    """Let a held one go on, as far as it was; its plan goes on, too."""
    with signed_in() as client:
        what = _what(client, spoken, release, title, on)
        if release:
            done = client.releases.go_on(what.title, release, on)
        else:
            done = [client.rollouts.go_on(what.title, on, what.placement)]
    _shown(done, as_json)


@app.command("roll-back")
def roll_back(
    spoken: str = typer.Argument("", help="The build to go back to; it was placed there before."),
    on: str = ON,
    release: int = typer.Option(0, "--release", help="In place of a build: all lines to this release."),
    title: str = TITLE,
    dry: bool = typer.Option(False, "--preview", help="Show what it would do, and stop."),
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Go back to an earlier build or release, on every device at its next look. Nothing is built."""
    with signed_in() as client:
        slug, number = _build_or_release(client, spoken, release, title)
        if release:
            whole = client.releases.preview_roll_back(slug, release, on)
            seen, etag = whole.lines, whole.etag
        else:
            one = client.rollouts.preview_roll_back(slug, on, number)
            seen, etag = [one], one.etag
        if as_json and dry:
            print_json(seen)
            return
        if not as_json:
            for each in seen:
                _preview(each)
        if dry:
            return
        obstacle = next((s.obstacle for s in seen if s.obstacle), "")
        if obstacle and not as_json:
            raise Refused("rollout.no-way-back", obstacle)
        if not obstacle and not confirmed(f"Roll {on} back to {_names(seen)}?", yes):
            raise typer.Exit(1)
        # With --json the service says what is in the way, and the exit code says so too.
        if release:
            done = client.releases.roll_back(slug, release, on, etag)
        else:
            done = [client.rollouts.roll_back(slug, on, number, etag)]
    _shown(done, as_json)


def _names(seen: list[RollBackPreview]) -> str:
    return ", ".join(s.build.name for s in seen)


@dataclass(frozen=True)
class What:
    """What an act is about: a placement, or (`placement` 0) a release; `said` is how it is now."""

    title: str
    placement: int
    said: str


def _what(client: Client, spoken: str, release: int, title: str, on: str) -> What:
    slug, number = _build_or_release(client, spoken, release, title)
    if release:
        return What(slug, 0, f"Release {release} on {on}, all its lines")
    placed = placement_of(client, slug, on, number)
    plan = f", by the plan {placed.plan}" if placed.plan else ", by hand"
    return What(slug, placed.number, f"{placed.build.name} on {on}: {_share(placed)} now{plan}")


def _build_or_release(client: Client, spoken: str, release: int, title: str) -> tuple[str, int]:
    """(title, the build's number; 0 for a release)."""
    if bool(spoken) == bool(release):
        raise Invalid("rollout.which", "name a build, or a release with --release", hint="Such as peatlight#14.")
    return (the_title(client, title), 0) if release else the_build(client, spoken, title)


def placement_of(client: Client, title: str, on: str, number: int, *, live: bool = True) -> Placement:
    """The live one of this build; with `live` off, else the newest that was there."""
    channel = client.channels.get(title, on)
    found = [p for p in channel.live if p.build.number == number]
    if not live:
        found += [p for p in channel.history if p.build.number == number]
    if not found:
        there = ", ".join(p.build.name for p in channel.live) or "nothing"
        what = "is not live" if live else "was never placed"
        raise NotFound("placement.none", f"{title}#{number} {what} on {on}", hint=f"Live there: {there}.")
    return found[0]


def _followed(client: Client, title: str, on: str, rollout: Rollout) -> Rollout:
    """Until nothing more happens by itself."""
    said = ""
    while rollout.state == PlacementState.GROWING or (rollout.state == PlacementState.PLACED and rollout.plan):
        line = _line(rollout)
        if line != said:
            err().print(line, highlight=False)
            said = line
        time.sleep(LOOK)
        rollout = client.rollouts.get(title, on, rollout.number)
    return rollout


def _line(rollout: Rollout) -> str:
    then = f"; {rollout.next_share:g} % {moment(rollout.next_at)}" if rollout.next_at and rollout.next_share else ""
    return f"{rollout.build.name} on {rollout.channel}: {_share(rollout)}, {rollout.devices} have it{then}"


def _share(placed: Placement) -> str:
    return "every device" if placed.state == PlacementState.WHOLE else f"{placed.share:g} %"


def _shown(rollouts: list[Rollout], as_json: bool) -> None:
    if as_json:
        print_json(rollouts if len(rollouts) > 1 else rollouts[0])
        return
    if len(rollouts) == 1:
        _one(rollouts[0])
        return
    rows = [
        (
            r.line,
            r.build.name,
            r.state,
            _share(r),
            f"{r.devices} of {r.following}",
            moment(r.next_at) if r.next_at else "",
        )
        for r in rollouts
    ]
    table(["for", "build", "state", ">share", ">devices", "next step"], rows)


def _one(rollout: Rollout) -> None:
    live = rollout.state in LIVE
    have = f"{rollout.devices} of {counted(rollout.following, 'device')} {'has' if rollout.devices == 1 else 'have'} it"
    if not rollout.following:
        have = "no device follows the channel"
    rows: list[tuple[str, object]] = [
        ("rollout", f"{rollout.build.name} ({rollout.build.version_name}) on {rollout.channel}, {rollout.line}"),
        ("state", rollout.state.value + (f": {rollout.held_why}" if rollout.held_why else "")),
        ("share", f"{_share(rollout)}; {have}" if live else f"was {rollout.share:g} %"),
    ]
    if rollout.health_said and live:
        rows.append(
            ("health", f"{rollout.verdict.value.replace('-', ' ') if rollout.verdict else ''}: {rollout.health_said}")
        )
    if rollout.plan and live:
        rows.append(("plan", rollout.plan))
    if rollout.next_at and rollout.next_share:
        rows.append(("next", f"{rollout.next_share:g} % {moment(rollout.next_at)}"))
    if rollout.back:
        rows.append(("rolled back", "devices go down to it, whatever they have"))
    facts(rows)
    out().print()
    past = [(ago(c.at), c.state, f"{c.share:g} %", c.by, c.why) for c in rollout.changes]
    table(["when", "state", ">share", "~by", "~why"], past)


def _preview(seen: RollBackPreview) -> None:
    names = ", ".join(f"{b.name} ({b.version_name})" for b in seen.replaces) or "nothing"
    out().print(f"{seen.channel} goes back to {seen.build.name} ({seen.build.version_name}), from {names}.")
    if seen.new_code:
        out().print(
            f"{seen.build.platform} installs nothing over a higher version code: its bundle is signed again under a new one."
        )
    rows = [(d.build.name, d.devices, mb(d.update.download), mb(d.update.written)) for d in seen.devices]
    table(["devices with", ">devices", ">download", ">written"], rows, "No device of the channel has another build.")
    if rows:
        out().print("A device that kept the build downloads nothing.", style="dim")
