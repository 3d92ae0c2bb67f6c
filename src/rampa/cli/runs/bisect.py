"""`rampa run bisect`: which commit between a good and a bad build made the difference."""

from __future__ import annotations

import re
import sys
import time

import typer
from rich.console import Group
from rich.live import Live
from rich.table import Table
from rich.text import Text

from rampa.cli.base.common import BUILD, JSON, LIMIT, TITLE, first_rows, signed_in, the_title
from rampa.cli.base.output import ago, duration, err, facts, mb, out, print_json, print_text, table
from rampa.cli.base.terminal import shown
from rampa.client import Client
from rampa.core.errors import Invalid
from rampa.core.quantity import counted
from rampa.core.run.bisect import BisectState, By, TrialState
from rampa.schema.bisects import Bisect, BisectCommit, NewBisect

NOT_FOUND = 12
"""Exit code where it ended without one commit."""
EVERY = 1.0
SHOWN = 16
MARKS = {
    TrialState.GOOD: ("○ good", "green"),
    TrialState.BAD: ("■ bad", "red"),
    TrialState.UNTOLD: ("◇ cannot be told", "yellow"),
    TrialState.WAITING: ("… being tried", "default"),
}
ENDS = {
    BisectState.WORKING: "default",
    BisectState.FOUND: "bold green",
    BisectState.NARROWED: "yellow",
    BisectState.REFUTED: "yellow",
    BisectState.CANCELLED: "dim",
}
AMOUNT = re.compile(r"(\d+(?:\.\d+)?)\s*(B|kB|MB|GB|s|min)?")
SCALES = {"B": 1, "kB": 1e3, "MB": 1e6, "GB": 1e9, "s": 1, "min": 60}


def add_to(app: typer.Typer) -> None:
    for name, command in (("bisect", bisect), ("bisects", list_), ("bisected", bisected)):
        app.command(name)(command)


def bisect(
    good: str = typer.Argument(..., help="A build without it, as in peatlight#14; or a branch, tag or commit."),
    bad: str = typer.Argument(..., help="A build with it, later on the same branch; or a branch, tag or commit."),
    subject: str = typer.Argument("", help="The crash group's number, the path, or the step."),
    by: By = typer.Option(..., "--by", help="self-test | crash GROUP | size PATH | update-cost | step-time STEP"),
    profile: str = typer.Option("", "--profile", help="What is built to try. [the bad build's]"),
    limit: str = typer.Option("", "--limit", help="Bad above it, such as 12MB or 30s. [halfway between the ends]"),
    form: str = typer.Option("", "--class", help="The class of device that the self-test is told."),
    watch: bool = typer.Option(True, "--watch/--no-watch", help="Stay and watch; Ctrl-C leaves it running."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Find the commit between two builds that made the difference, by runs on the agents, several at once where they are free.

    Exit code: 0 when one commit was found, 12 when it ended without.
    """
    with signed_in() as client:
        slug = next((m[1] for end in (good, bad) if (m := BUILD.fullmatch(end)) and m[1]), "") or the_title(
            client, title
        )
        asked = NewBisect(
            good=_end(good),
            bad=_end(bad),
            by=by,
            subject=subject,
            profile=profile or None,
            limit=_amount(limit),
            form=form,
        )
        plan = client.bisects.plan(slug, asked)
        about = f", about {duration(plan.expected)}" if plan.expected else ""
        runs = f"{counted(plan.rounds, 'round')} at most, {counted(plan.at_once, 'run')} at once{about}"
        err().print(f"{counted(plan.commits, 'commit')} of {plan.profile}: {runs}.")
        if plan.takes_codes:
            err().print("Each run makes a build, and takes a version code.", style="yellow")
        found = client.bisects.start(slug, asked)
        _follow(client, found, watch=watch, as_json=as_json)


def list_(title: str = TITLE, limit: int = LIMIT, as_json: bool = JSON) -> None:
    """A title's searches for a commit, newest first."""
    with signed_in() as client:
        found = first_rows(client.bisects.all, the_title(client, title), limit=limit)
    if as_json:
        print_json(found)
        return
    rows = [
        (
            b.number,
            Text(b.state.value, style=ENDS[b.state]),
            b.about,
            f"{b.good} to {b.bad}",
            b.profile,
            ago(b.created_at),
            b.said,
        )
        for b in found
    ]
    table(
        [">", "", "~by", "~between", "profile", "", "~"],
        rows,
        "No commit was searched for yet: rampa run bisect GOOD BAD --by …",
    )


def bisected(
    number: int = typer.Argument(..., metavar="NUMBER", help="The search's number."),
    watch: bool = typer.Option(False, "--watch", help="Stay until it ends; Ctrl-C leaves it running."),
    cancel: bool = typer.Option(False, "--cancel", help="Give it up, and cancel its runs."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """One search for a commit: what each try came to, and the commit with what it changed."""
    with signed_in() as client:
        slug = the_title(client, title)
        found = client.bisects.cancel(slug, number) if cancel else client.bisects.get(slug, number)
        _follow(client, found, watch=watch, as_json=as_json)


def _end(said: str) -> str:
    """A build is named by its number alone on the wire."""
    match = BUILD.fullmatch(said)
    return match[2] if match and (match[1] or said.isdigit()) else said


def _amount(said: str) -> float | None:
    if not said:
        return None
    match = AMOUNT.fullmatch(said)
    if match is None:
        raise Invalid("bisect.limit", f"{said!r} is no size or time", where="--limit", hint="Such as 12MB or 30s.")
    return float(match[1]) * SCALES[match[2] or "B"]


def _follow(client: Client, found: Bisect, *, watch: bool, as_json: bool) -> None:
    try:
        if watch and found.state == BisectState.WORKING:
            found = (
                _live(client, found) if sys.stdout.isatty() and not as_json else _lines(client, found, quiet=as_json)
            )
    except KeyboardInterrupt:
        err().print(f"It goes on. Watch again: rampa run bisected {found.number} --watch")
        raise typer.Exit(130) from None
    if as_json:
        print_json(found)
    else:
        _show(client, found)
    if found.state not in (BisectState.FOUND, BisectState.WORKING):
        raise typer.Exit(NOT_FOUND)


def _live(client: Client, found: Bisect) -> Bisect:
    with Live(refresh_per_second=4, transient=True) as live:
        while found.state == BisectState.WORKING:
            live.update(Group(_head(found), _grid(found)))
            time.sleep(EVERY)
            found = client.bisects.get(found.title, found.number)
    return found


def _lines(client: Client, found: Bisect, *, quiet: bool) -> Bisect:
    """A line whenever a try ends, for logs of other tools."""
    told: set[int] = set()
    while True:
        for c in found.items:
            if c.state not in (None, TrialState.WAITING) and c.position not in told:
                told.add(c.position)
                if not quiet:
                    print(shown(" ".join(str(cell) for cell in _row(c, found))), flush=True)
        if found.state != BisectState.WORKING:
            return found
        time.sleep(EVERY)
        found = client.bisects.get(found.title, found.number)


def _head(found: Bisect) -> Text:
    left = f", about {duration(found.expected)}" if found.expected else ""
    more = f"; {counted(found.rounds_left, 'round')} more at most{left}" if found.state == BisectState.WORKING else ""
    return Text(
        f"{found.name}, {found.about}: {counted(found.left, 'commit')} of {found.commits} can be it{more}", style="bold"
    )


def _show(client: Client, found: Bisect) -> None:
    out().print(_head(found))
    limit = f"; bad above {_value(found, found.limit)}" if found.limit is not None else ""
    form = f"; told that it is a {found.form}" if found.form else ""
    facts(
        [
            ("between", f"{found.good} and {found.bad}{limit}"),
            ("tried with", f"{found.profile}{form}"),
            ("started", f"by {found.started_by} {ago(found.created_at)}"),
        ]
    )
    out().print()
    out().print(_grid(found))
    if found.said:
        out().print(Text(f"\n{found.said}", style=ENDS[found.state]))
    if found.found:
        _commit(client, found, found.found)


def _commit(client: Client, found: Bisect, one: BisectCommit) -> None:
    facts(
        [("commit", one.commit), ("by", one.author), ("at", ago(one.at)), ("subject", Text(one.subject, style="bold"))]
    )
    diff = client.bisects.diff(found.title, found.number)
    out().print()
    print_text([diff.text.encode()])
    if diff.cut:
        err().print("It is longer than this.", style="dim")


def _grid(found: Bisect) -> Table:
    grid = Table(box=None, pad_edge=False, show_header=False)
    for _ in range(6):
        grid.add_column(no_wrap=True, overflow="ellipsis")
    for c in _near(found):
        grid.add_row(*_row(c, found)) if c else grid.add_row(Text("…", style="dim"))
    return grid


def _near(found: Bisect) -> list[BisectCommit | None]:
    """What was tried, and what can still be it where that is little; None for what is passed over."""
    few = found.left <= SHOWN
    rows: list[BisectCommit | None] = []
    for c in found.items:
        if c.state is not None or (few and c.inside):
            rows.append(c)
        elif rows and rows[-1] is not None:
            rows.append(None)
    return rows


def _row(c: BisectCommit, found: Bisect) -> tuple[Text, ...]:
    word, style = MARKS[c.state] if c.state else ("", "default")
    why = f"run {c.run}" if c.run else ""
    why = f"{why}, known already" if c.again and why else "known already" if c.again else why
    value = _value(found, c.value) if c.value is not None else ""
    inside = "bold" if c.inside else "dim"
    first = Text(c.commit[:10], style=inside)
    return (
        first,
        Text(word, style=style),
        Text(value),
        Text(why),
        Text(c.subject, style=inside),
        Text(c.said, style="dim"),
    )


def _value(found: Bisect, value: float) -> str:
    return duration(value) if found.by == By.STEP_TIME else mb(round(value))
