"""rampa health …"""

from __future__ import annotations

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, signed_in, the_build
from rampa.cli.base.output import ago, duration, facts, out, print_json, table
from rampa.cli.channels.rollout import placement_of
from rampa.core.health.comparison import Verdict
from rampa.core.quantity import counted
from rampa.schema.health import HealthRow, PlacementHealth

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Health: what devices report, beside the build before."
)
SHAPES = {
    Verdict.WORSE: ("■ worse", "red"),
    Verdict.IN_ORDER: ("○ in order", "green"),
    Verdict.UNSURE: ("… too little to tell", "default"),
}


@app.callback()
def noun() -> None:
    """A noun with one verb so far is a noun all the same."""


@app.command("show")
def show(
    spoken: str = typer.Argument(..., help="The build, as in peatlight#14."),
    on: str = typer.Option(..., "--on", help="The channel."),
    as_json: bool = JSON,
) -> None:
    """A placement's devices beside those on the build before, over the same hours."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        placed = placement_of(client, title, on, number, live=False)
        found = client.health.get(title, on, placed.number)
    if as_json:
        print_json(found)
        return
    _shown(found, on)


def _shown(found: PlacementHealth, on: str) -> None:
    shape, style = SHAPES[found.verdict]
    out().print(Text(f"{shape}: {found.said}", style=style))
    who = counted(found.devices, "device") + (f", {found.simulated:,} of them simulated" if found.simulated else "")
    rows: list[tuple[str, object]] = [
        ("compared", f"{found.build} with {found.before or 'nothing'} on {on}, since {ago(found.since)}"),
        ("reported", f"{who}; {duration(found.play_seconds)} of play"),
        ("by mistake", f"a build as good as the one before is called worse in at most {found.error:.0%} of rollouts"),
    ]
    facts(rows)
    out().print()
    table(
        ["", "what", "devices", ">with it", ">before"], [_row(row) for row in found.rows], "Nothing was reported yet."
    )


def _row(row: HealthRow) -> tuple[object, ...]:
    shape, style = SHAPES[row.verdict]
    what = {"session": "sessions that crash", "launch": "launches that fail", "install": "installs that fail"}[
        row.trouble
    ]
    new = f"{row.rate:.1%} of {row.total:,}"
    old = f"{row.before_rate:.1%} of {row.before_total:,}" if row.before_total else "none"
    return Text(shape, style=style), what, f"{row.part} {row.name}".strip() or "all", new, old
