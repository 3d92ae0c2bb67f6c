"""How rollouts are shown and followed in a terminal."""

from __future__ import annotations

import time

import typer

from rampa.cli.base.output import ago, err, facts, mb, moment, out, print_json, table
from rampa.client import Client
from rampa.core.placement.life import LIVE, PlacementState
from rampa.core.quantity import counted
from rampa.schema.channels import Placement
from rampa.schema.rollouts import RollBackPreview, Rollout

WAIT = typer.Option(False, "--wait", help="Follow it until every device has it, or it is held or ends.")
LOOK = 2.0
"""Seconds between two looks at what is followed."""


def followed(client: Client, title: str, on: str, rollout: Rollout) -> Rollout:
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
    then = f"; {_next(rollout)}" if rollout.next_share else ""
    return f"{rollout.build.name} on {rollout.channel}: {share_said(rollout)}, {rollout.devices} have it{then}"


def _next(rollout: Placement) -> str:
    waits = f", and it waits while {rollout.waits}" if rollout.waits else ""
    return f"{rollout.next_share:g} % {moment(rollout.next_at)}{waits}" if rollout.next_at else ""


def share_said(placed: Placement) -> str:
    return "every device" if placed.state == PlacementState.WHOLE else f"{placed.share:g} %"


def shown(rollouts: list[Rollout], as_json: bool) -> None:
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
            share_said(r),
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
        ("share", f"{share_said(rollout)}; {have}" if live else f"was {rollout.share:g} %"),
    ]
    if rollout.health_said and live:
        rows.append(
            ("health", f"{rollout.verdict.value.replace('-', ' ') if rollout.verdict else ''}: {rollout.health_said}")
        )
    if rollout.plan and live:
        rows.append(("plan", rollout.plan))
    if rollout.next_at and rollout.next_share:
        rows.append(("next", _next(rollout)))
    if rollout.back:
        rows.append(("rolled back", "devices go down to it, whatever they have"))
    facts(rows)
    out().print()
    past = [(ago(c.at), c.state, f"{c.share:g} %", c.by, c.why) for c in rollout.changes]
    table(["when", "state", ">share", "~by", "~why"], past)


def preview_shown(seen: RollBackPreview) -> None:
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
