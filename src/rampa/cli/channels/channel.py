"""rampa channel …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.cli.channels import access, gates, order, schedule
from rampa.cli.channels.place_views import between_shown, preview_shown
from rampa.cli.channels.rollout_views import WAIT, followed
from rampa.core.errors import NotFound, Refused
from rampa.core.placement.life import PlacementState
from rampa.core.placement.plan import plan_text, read_plan
from rampa.core.placement.share import read_share
from rampa.core.quantity import counted
from rampa.schema.schedule import NewScheduled

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Channels: place a build, see what is live.")


@app.command("place")
def place(
    spoken: str = typer.Argument(..., metavar="BUILD", help="The build, as in peatlight#14."),
    on: str = typer.Option(..., "--on", help="The channel: studio, testers, early, public, or one of the title's own."),
    yes: bool = YES,
    dry: bool = typer.Option(False, "--preview", help="Show what it would do, and stop."),
    share: str = typer.Option("", "--share", help="Percent of the devices that get it at first; all without it."),
    plan: str = typer.Option(
        "", "--plan", help="How it grows: 1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days."
    ),
    at: str = typer.Option("", "--at", help="Not now but then: 2026-11-30T09:00, or in 3h."),
    when_open: bool = typer.Option(False, "--when-open", help="Not now but when the channel's gates open."),
    wait: bool = WAIT,
    as_json: bool = JSON,
) -> None:
    """Show what placing a build will do; then, confirmed, place it, or have it placed later."""
    later = (schedule.when_to_place(at, when_open), True) if at or when_open else (None, False)
    first = read_share(share, "--share") / 10 if share else None
    growth = plan_text(read_plan(plan)) if plan else ""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        seen = client.channels.preview(title, on, number)
        if as_json and dry:
            print_json(seen)
            return
        if not as_json:
            preview_shown(seen)
            between_shown(client, title, seen)
        if dry:
            return
        if later[1]:
            asked = NewScheduled(channel=on, build=number, share=first, plan=growth, at=later[0])
            if not confirmed(f"Place {seen.build.name} on {on} {at or 'when its gates open'}?", yes):
                raise typer.Exit(1)
            schedule.shown([client.schedule.add(title, asked)], as_json)
            return
        if not as_json and not seen.possible:
            count = sum(f.severity == "blocker" for f in seen.findings)
            closed = sum(g.state == "closed" for g in seen.gates)
            what = [counted(count, "blocker")] * (count > 0) + [counted(closed, "closed gate")] * (closed > 0)
            raise Refused("placement.blocked", f"not placed: {' and '.join(what)}, above")
        reach = growth or (f"{first:g} % of the devices" if first is not None else "every device")
        if seen.possible and not confirmed(f"Place {seen.build.name} on {on} for {reach}?", yes):
            raise typer.Exit(1)
        # With --json the service says what blocks it, and the exit code says so too.
        placed = client.channels.place(title, on, number, seen.etag, first, growth)
        if wait:
            placed = followed(client, title, on, client.rollouts.get(title, on, placed.number))
    if as_json:
        print_json(placed)
        return
    whole = placed.state == PlacementState.WHOLE
    part = "" if whole else f", {placed.share:g} % of the devices"
    out().print(f"{placed.build.name} is live on {placed.channel} for {placed.platform}{part}.")
    if not whole:
        out().print(f"Next: rampa rollout show {placed.build.name} --on {placed.channel}")


@app.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """The channels, and what is live on them."""
    with signed_in() as client:
        channels = client.channels.all(the_title(client, title))
    if as_json:
        print_json(channels)
        return
    rows = []
    for channel in channels:
        for p in channel.live:
            devices = f"{p.devices} of {p.following}" if p.following else "none follows"
            share = f"{p.share:g} %" + (" held" if p.state == PlacementState.HELD else "")
            version = p.build.version_name
            rows.append((channel.name, p.line, p.build.name, version, share, devices, ago(p.placed_at), p.placed_by))
        if not channel.live:
            rows.append((channel.name, "", "nothing is live", "", "", "", "", ""))
    table(["channel", "for", "build", "version", ">share", "devices", "since", "~placed by"], rows)


@app.command("show")
def show(
    channel: str = typer.Argument(..., help="studio, testers, early, public, or one of the title's own."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """One channel: what is live, and its history."""
    with signed_in() as client:
        found = client.channels.get(the_title(client, title), channel)
    if as_json:
        print_json(found)
        return
    rows = [
        (p.number, p.line, p.build.name, p.build.version_name, p.state, ago(p.placed_at), p.placed_by)
        for p in found.history
    ]
    waived = [(p.number, w) for p in found.history for w in p.waived]
    empty = f"Nothing was placed yet: rampa channel place BUILD --on {channel}"
    table([">placement", "for", "build", "version", "state", "placed", "~by"], rows, empty)
    for number, w in waived:
        out().print(f"Placement {number}: {w.waived_by} waived {w.gate}: {w.reason}", highlight=False)


@app.command("withdraw")
def withdraw(
    spoken: str = typer.Argument(..., metavar="BUILD", help="The live build, as in peatlight#14."),
    from_: str = typer.Option(..., "--from", help="The channel."),
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Take a live build off its channel. Devices keep what they have and are offered nothing new."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        live = next((p for p in client.channels.get(title, from_).live if p.build.number == number), None)
        if live is None:
            raise NotFound("placement.none", f"{title}#{number} is not live on {from_}")
        err().print(f"{live.build.name} is live on {from_} for {live.line}; {_have(live.devices)}.")
        if not confirmed("Withdraw it?", yes):
            raise typer.Exit(1)
        done = client.rollouts.withdraw(title, from_, live.number)
    if as_json:
        print_json(done)
        return
    out().print(f"{done.build.name} is withdrawn from {from_}.")


def _have(devices: int) -> str:
    return "1 device has it" if devices == 1 else f"{devices} devices have it"


access.add_to(app)
order.add_to(app)
gates.add_to(app)
schedule.add_to(app)
