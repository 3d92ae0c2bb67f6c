"""rampa health …"""

from __future__ import annotations

from collections.abc import Sequence

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, LIMIT, PAGE, TITLE, signed_in, the_build, the_title
from rampa.cli.base.output import ago, duration, err, facts, out, print_json, table
from rampa.cli.channels.rollout import placement_of
from rampa.core.errors import Invalid
from rampa.core.health.comparison import Verdict
from rampa.core.quantity import counted
from rampa.schema.crashes import CrashCount, CrashGroup, CrashStackOut, CrashSummary
from rampa.schema.health import HealthRow, PlacementHealth

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Health: what devices report, beside the build before; crashes."
)
SHAPES = {
    Verdict.WORSE: ("■ worse", "red"),
    Verdict.IN_ORDER: ("○ in order", "green"),
    Verdict.UNSURE: ("… too little to tell", "default"),
}


@app.command("show")
def show(
    spoken: str = typer.Argument(..., metavar="BUILD", help="The build, as in peatlight#14."),
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
    if found.crashes:
        out().print()
        groups = [
            (g.number, g.place or "not yours to read", g.reason, f"{g.crashes:,}", f"{g.devices:,}", _since(g))
            for g in found.crashes
        ]
        table(["crash", "~place", "reason", ">crashes", ">devices", "since"], groups)


def _since(g: CrashSummary) -> Text:
    return Text("new in this build", style="bold red") if g.new else Text(g.first_build)


def _row(row: HealthRow) -> tuple[object, ...]:
    shape, style = SHAPES[row.verdict]
    what = {"session": "sessions that crash", "launch": "launches that fail", "install": "installs that fail"}[
        row.trouble
    ]
    new = f"{row.rate:.1%} of {row.total:,}"
    old = f"{row.before_rate:.1%} of {row.before_total:,}" if row.before_total else "none"
    return Text(shape, style=style), what, f"{row.part} {row.name}".strip() or "all", new, old


@app.command("crashes")
def crashes(
    of: str = typer.Option("", "--of", help="Only this build's, as in peatlight#14."),
    new: bool = typer.Option(False, "--new", help="With --of: only those that no build before it had."),
    search: str = typer.Option("", "--search", help="In the place or the reason."),
    sort: str = typer.Option("crashes", "--sort", help="crashes, devices or newest."),
    limit: int = LIMIT,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Groups of crashes of the same place, over the last 30 days."""
    if new and not of:
        raise Invalid("crashes.new", "--new is asked of a build", where="--new", hint="Name it: --of peatlight#14.")
    with signed_in() as client:
        slug, build = the_build(client, of, title) if of else (the_title(client, title), 0)
        found = client.health.crashes(slug, build, new, search, sort, min(limit, PAGE))
    if as_json:
        print_json(found)
        return
    columns = ["crash", "~place", "reason", ">crashes", ">devices", "classes", "first in", "last"]
    table(columns, [_group(g) for g in found.items], "No crash was reported with its place in the last 30 days.")
    if found.waiting:
        err().print(f"{counted(found.waiting, 'stack')} of crashes are still being looked up.")
    if found.items:
        err().print(f"One of them: rampa health crash {found.items[0].number}", style="dim")


def _group(g: CrashSummary) -> tuple[object, ...]:
    first = Text(g.first_build, style="bold red") if g.new else g.first_build
    devices = f"{g.devices:,}" + (f" ({g.simulated:,} simulated)" if g.simulated else "")
    forms = ", ".join(f"{c.name}: {c.crashes:,}" for c in g.forms[:3]) + (", …" if len(g.forms) > 3 else "")
    return str(g.number), g.place, g.reason, f"{g.crashes:,}", devices, forms, first, ago(g.last_at)


@app.command("crash")
def crash(
    number: int = typer.Argument(..., help="The crash group's number."), title: str = TITLE, as_json: bool = JSON
) -> None:
    """One group of crashes: where, who has it, since which build, and the commits that came with it."""
    with signed_in() as client:
        found = client.health.crash(the_title(client, title), number)
    if as_json:
        print_json(found)
        return
    _crash(found)


def _crash(found: CrashGroup) -> None:
    who = counted(found.devices, "device") + (f", {found.simulated:,} of them simulated" if found.simulated else "")
    facts(
        [
            ("place", Text(found.place, style="bold")),
            ("reason", found.reason),
            ("crashes", f"{found.crashes:,} on {who}; in the last 30 days, the last {ago(found.last_at)}"),
            ("first in", found.first_build + (f"; {found.before} does not have it" if found.before else "")),
            ("builds", _counts(found.builds)),
            ("classes", _counts(found.forms) or "not told"),
            ("levels", _counts(found.levels) or "not told"),
        ]
    )
    for stack in found.stacks[:1]:
        out().print()
        table(["", "~function", "~where"], _frames(stack), "")
    out().print()
    rows = [(c.commit[:10], c.author, ago(c.at), c.subject) for c in found.commits]
    between = f"Commits between {found.before} and {found.first_build}:" if found.before else ""
    if rows:
        out().print(between)
    table(["commit", "by", "", "~subject"], rows, found.commits_said or f"{between} none.")
    for search in found.bisects:
        came = f": it came with {search.commit[:10]}" if search.commit else ""
        err().print(f"Bisect {search.number} is {search.state.value}{came}.")
    if len(rows) > 1 and not any(search.commit for search in found.bisects):
        good, bad = f"{found.title}#{found.before_number}", found.first_build
        err().print(f"Find the commit: rampa run bisect {good} {bad} --by crash {found.number}", style="dim")


def _counts(counts: Sequence[CrashCount]) -> str:
    return ", ".join(f"{c.name}: {c.crashes:,} on {counted(c.devices, 'device')}" for c in counts)


def _frames(stack: CrashStackOut) -> list[tuple[object, ...]]:
    rows: list[tuple[object, ...]] = []
    for number, frame in enumerate(stack.frames):
        for at, place in enumerate(frame.places):
            where = f"{place.file}:{place.line}" if place.file else frame.module
            rows.append(
                (number if not at else "", place.function, where + (" (inlined)" if at + 1 < len(frame.places) else ""))
            )
        if not frame.places:
            rows.append(
                (number, Text(f"{frame.module} at 0x{frame.address}", style="dim"), Text("no symbols", style="dim"))
            )
    return rows
