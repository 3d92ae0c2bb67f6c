"""rampa rollout …"""

from __future__ import annotations

from dataclasses import dataclass

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import err, print_json
from rampa.cli.channels import rollout_views as views
from rampa.cli.channels.rollout_views import WAIT
from rampa.client import Client
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.placement.plan import plan_text, read_plan
from rampa.core.placement.share import read_share
from rampa.schema.channels import Placement
from rampa.schema.rollouts import RollBackPreview

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Rollouts: grow a placement, hold it, go on, roll back."
)
BUILD = typer.Argument("", help="The build, as in peatlight#14; or --release for all lines of one.")
RELEASE = typer.Option(0, "--release", help="All builds of this release, together or not at all.")
ON = typer.Option(..., "--on", help="The channel.")


@app.command("show")
def show(
    spoken: str = typer.Argument(..., metavar="BUILD", help="The build, as in peatlight#14."),
    on: str = ON,
    wait: bool = WAIT,
    as_json: bool = JSON,
) -> None:
    """A rollout: its share, its plan, and all that it was."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        found = client.rollouts.get(title, on, placement_of(client, title, on, number, live=False).number)
        if wait:
            found = views.followed(client, title, on, found)
    views.shown([found], as_json)


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
    views.shown(done, as_json)


@app.command("plan")
def plan(
    spoken: str = BUILD,
    on: str = ON,
    said: str = typer.Option(
        "", "--as", help="Such as: 1 %, 5 % after 4 h, all after 2 days, only while health is in order."
    ),
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
            done = [views.followed(client, what.title, on, each) for each in done]
    views.shown(done, as_json)


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
    views.shown(done, as_json)


@app.command("go-on")
def go_on(spoken: str = BUILD, on: str = ON, release: int = RELEASE, title: str = TITLE, as_json: bool = JSON) -> None:
    """Let a held one go on, as far as it was; its plan goes on, too."""
    with signed_in() as client:
        what = _what(client, spoken, release, title, on)
        if release:
            done = client.releases.go_on(what.title, release, on)
        else:
            done = [client.rollouts.go_on(what.title, on, what.placement)]
    views.shown(done, as_json)


@app.command("roll-back")
def roll_back(
    spoken: str = typer.Argument("", metavar="BUILD", help="The build to go back to; it was placed there before."),
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
                views.preview_shown(each)
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
    views.shown(done, as_json)


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
    return What(slug, placed.number, f"{placed.build.name} on {on}: {views.share_said(placed)} now{plan}")


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
