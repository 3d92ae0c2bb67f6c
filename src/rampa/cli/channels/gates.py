"""More of `rampa channel`: gates, approving a build, waiving a gate."""

from __future__ import annotations

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import err, out, print_json, table
from rampa.core.errors import Invalid
from rampa.core.placement.gates import BuildFacts, Gate, GateKind, look
from rampa.schema.channels import GateIn, GateOut, GatesIn

ON = typer.Option(..., "--on", help="The channel.")
BUILD = typer.Argument(..., help="The build, as in peatlight#14.")
SHAPES = {"passed": ("○ passed", "green"), "waived": ("◇ waived", "yellow"), "closed": ("■ closed", "red")}


def add_to(app: typer.Typer) -> None:
    """Puts these commands beside the others of the group."""
    for name, command in (("gates", gates), ("approve", approve), ("waive", waive)):
        app.command(name)(command)


def gates(
    name: str = typer.Argument(..., help="The channel."),
    clean: bool = typer.Option(False, "--clean-checks", help="Checks find nothing above a note."),
    bound: bool = typer.Option(False, "--bound-signature", help="Signed by the identity that the storefront knows."),
    stood: list[str] = typer.Option(None, "--stood-on", help="CHANNEL=HOURS: live there for so long. Repeatable."),
    approvals: int = typer.Option(0, "--approvals", help="So many others approved it."),
    update: float = typer.Option(0.0, "--update-cost", help="Megabytes that the median device downloads at most."),
    budgets: bool = typer.Option(False, "--size-budgets", help="No depot or folder is heavier than its budget."),
    sign_offs: int = typer.Option(0, "--play-sign-offs", help="So many testers signed it off in play."),
    review: bool = typer.Option(False, "--studio-review", help="Passed by the studio's own reviewers: rampa review."),
    none: bool = typer.Option(False, "--none", help="No gates at all."),
    title: str = TITLE,
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """What must be true of a build before it stands on a channel. With options, these gates in place of all. An owner's act."""
    asked = [GateIn(kind=GateKind.CLEAN)] if clean else []
    asked += [GateIn(kind=GateKind.BOUND)] if bound else []
    asked += [_stood(each) for each in stood or []]
    asked += [GateIn(kind=GateKind.APPROVED, count=approvals)] if approvals else []
    asked += [GateIn(kind=GateKind.UPDATE, size=round(update * 1e6))] if update else []
    asked += [GateIn(kind=GateKind.BUDGETS)] if budgets else []
    asked += [GateIn(kind=GateKind.SIGN_OFFS, count=sign_offs)] if sign_offs else []
    asked += [GateIn(kind=GateKind.REVIEWED)] if review else []
    if none and asked:
        raise Invalid("gate.none", "--none stands beside other gates", hint="Say either.")
    with signed_in() as client:
        whose = the_title(client, title)
        channel = client.channels.get(whose, name)
        if asked or none:
            err().print(f"Now: {_names(channel.gates)}. Then: {_names(asked)}.", highlight=False)
            if not confirmed("Set them?", yes):
                raise typer.Exit(1)
            channel = client.channels.set_gates(whose, name, GatesIn(gates=asked))
    if as_json:
        print_json(channel.gates)
        return
    out().print(f"{channel.name}: {_names(channel.gates)}", highlight=False)


def _stood(text: str) -> GateIn:
    channel, _, hours = text.partition("=")
    if not hours.isascii() or not hours.isdigit():
        raise Invalid("gate.hours", f"{text!r} is not CHANNEL=HOURS", where="--stood-on", hint="Such as testers=48.")
    return GateIn(kind=GateKind.STOOD, channel=channel, hours=int(hours))


def _names(found: list[GateIn]) -> str:
    said = [look(Gate(**gate.model_dump()), BuildFacts()).said for gate in found]
    return "; ".join(said) or "no gates"


def approve(spoken: str = BUILD, on: str = ON, as_json: bool = JSON) -> None:
    """Say that a build may stand on a channel. Whoever places it is not counted."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        found = client.channels.approve(title, on, number)
    _shown(found, as_json)


def waive(
    spoken: str = BUILD,
    on: str = ON,
    gate: str = typer.Option(..., "--gate", help="As it is called: approvals, stood-on:testers."),
    reason: str = typer.Option(..., "--reason", help="Why; it stays, and everybody reads it."),
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Waive a gate for one build. An owner's act; the reason is seen for ever."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        err().print(f"{title}#{number} passes the gate {gate} of {on}, with your name and this reason: {reason}")
        if not confirmed("Waive it?", yes):
            raise typer.Exit(1)
        found = client.channels.waive(title, on, number, gate, reason)
    _shown(found, as_json)


def _shown(found: list[GateOut], as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    gate_table(found)


def gate_table(found: list[GateOut]) -> None:
    rows = []
    for gate in found:
        shape, style = SHAPES[gate.state]
        waived = f"{gate.waived.reason} ({gate.waived.waived_by})" if gate.waived else ""
        missing = f"{gate.missing}; {gate.who}: {gate.where}" if gate.state == "closed" else waived
        rows.append((Text(shape, style=style), gate.gate, gate.said, missing))
    table(["", "gate", "~what", "~missing"], rows, "The channel has no gates.")
