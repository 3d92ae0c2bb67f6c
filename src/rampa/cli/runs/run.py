"""`rampa run`: plan, start, watch, list, show, log, cancel, again; the queue."""

from __future__ import annotations

from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, YES, confirmed, first_rows, signed_in, the_title
from rampa.cli.base.output import BLOCKED, ago, duration, err, out, print_json, print_text, table
from rampa.cli.runs import bisect
from rampa.cli.runs.tables import built_from, native, plan_view, run_view, silent, state_text, step_words, superseded
from rampa.core.run.life import NOT_ENDED

if TYPE_CHECKING:
    from rampa.client import Client
    from rampa.schema.runs import NewRuns

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Runs: from a commit to a build.")
NUMBER = typer.Argument(..., metavar="RUN", help="The run's number.")
PROFILES = typer.Argument(
    None, metavar="[PROFILE]...", help="Profiles; without one, those that the branch has as its own."
)
OF = typer.Option("", "--at", help="Branch, tag or commit. [the repository's own branch]")
FROM_FOLDER = typer.Option(0, "--folder", help="An uploaded folder's number instead.", show_default=False)
VARIABLES = typer.Option("", "--variables", help="Other step variables than the profile's.")
VERSION = typer.Option("", "--version-name", help="Another version name than the document's.")
NOTE = typer.Option("", "--note", help="Why; it stands with the run and its build.")


def _asked(profiles: list[str] | None, of: str, folder: int, step_variables: str, version: str, note: str) -> NewRuns:
    from rampa.schema.runs import NewRuns

    return NewRuns(
        profiles=profiles or [],
        of=of,
        folder=folder or None,
        step_variables=step_variables,
        version_name=version,
        note=note,
    )


@app.command("plan")
def plan(
    profiles: list[str] = PROFILES,
    of: str = OF,
    folder: int = FROM_FOLDER,
    step_variables: str = VARIABLES,
    version: str = VERSION,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """What runs would do: steps, names of variables, agents that can, what stops them. Changes nothing."""
    with signed_in() as client:
        plans = client.runs.plan(the_title(client, title), _asked(profiles, of, folder, step_variables, version, ""))
    if as_json:
        print_json(plans)
    else:
        for one in plans:
            plan_view(one)
    if any(p.stops for p in plans):
        raise typer.Exit(BLOCKED)


@app.command("start")
def start(
    profiles: list[str] = PROFILES,
    of: str = OF,
    folder: int = FROM_FOLDER,
    step_variables: str = VARIABLES,
    version: str = VERSION,
    note: str = NOTE,
    watch: bool = typer.Option(False, "--watch", help="Stay and watch; Ctrl-C leaves them running."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Start runs of one or many profiles on one commit."""
    with signed_in() as client:
        slug = the_title(client, title)
        asked = _asked(profiles, of, folder, step_variables, version, note)
        plans = client.runs.plan(slug, asked)
        started = client.runs.start(slug, asked)
        if as_json:
            print_json(started)
        else:
            for run, planned in zip(started, plans, strict=True):
                about = f", about {duration(planned.expected)}" if planned.expected else ""
                out().print(f"Run {run.number}: {run.profile} at {built_from(run)}{about}{native(planned)}")
        numbers = [r.number for r in started]
        if watch:
            raise typer.Exit(_watch(client, slug, numbers))
        if not as_json:
            err().print(f"Watch: rampa run watch {' '.join(map(str, numbers))}")


@app.command("watch")
def watch(
    runs: list[int] = typer.Argument(None, metavar="[RUN]...", help="Runs; without one, all that are open."),
    title: str = TITLE,
) -> None:
    """A live view, a line for each run: its step, time taken, time left, and the end of the log. Ctrl-C leaves them running.

    Exit code: 0 when all are done, 10 when one failed, 11 when one was cancelled or superseded.
    """
    with signed_in() as client:
        slug = the_title(client, title)
        numbers = runs or [r.number for r in client.runs.all(slug, state=NOT_ENDED)]
        if not numbers:
            err().print("No run is open. Start one: rampa run start PROFILE")
            return
        raise typer.Exit(_watch(client, slug, sorted(numbers)))


def _watch(client: Client, slug: str, numbers: list[int]) -> int:
    from rampa.cli.runs.watch import watch_runs

    return watch_runs(client, slug, numbers)


@app.command("list")
def list_(
    title: str = TITLE,
    state: str = typer.Option("", "--state", help="open, waiting, working, done, failed, cancelled or superseded."),
    profile: str = typer.Option("", "--profile", help="Of one profile only."),
    why: str = typer.Option("", "--why", help="manual, trigger, schedule, call or repeat."),
    search: str = typer.Option("", "--search", help="In notes, or the beginning of a commit."),
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Runs, newest first."""
    with signed_in() as client:
        slug = the_title(client, title)
        rows = first_rows(client.runs.all, slug, limit=limit, state=state, profile=profile, why=why, search=search)
    if as_json:
        print_json(rows)
        return
    table(
        [">run", "profile", "state", "~of", "~why", "agent", ">took", ">warn", "build", "started", "~what stopped it"],
        [
            (
                r.number,
                r.profile,
                state_text(r.state),
                built_from(r),
                r.why + (f" {r.trigger}" if r.trigger else ""),
                r.agent or "-",
                duration(r.seconds) if r.taken_at else "-",
                r.warnings or "",
                f"#{r.build}" if r.build else "",
                f"{ago(r.created_at)} by {r.started_by}",
                r.cause.sentence if r.cause else r.waits_for or superseded(r),
            )
            for r in rows
        ],
        "No run matches. Start one: rampa run start PROFILE",
    )


@app.command("queue")
def queue(as_json: bool = JSON) -> None:
    """What each waiting run waits for, and why, across all titles."""
    with signed_in() as client:
        found = client.runs.queue()
    if as_json:
        print_json(found)
        return
    table(
        [">place", "run", "profile", "state", "~step", ">so far", ">left", "~waits for"],
        [
            (
                q.place or "",
                f"{q.title} {q.run.number}",
                q.run.profile,
                state_text(q.run.state),
                step_words(q.run),
                duration(q.run.seconds) if q.run.taken_at else ago(q.run.created_at).removesuffix(" ago"),
                f"{duration(q.run.left)}" if q.run.left is not None else "",
                q.run.waits_for or silent(q.run),
            )
            for q in found.items
        ],
        "Nothing waits and nothing is worked on.",
    )
    out().print()
    for a in found.agents:
        out().print(f"{a.name}: {a.state}, {a.busy} of {a.at_once} busy", style="dim")


@app.command("show")
def show(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """One run: its steps, what stopped it, warnings and errors folded by kind."""
    with signed_in() as client:
        run = client.runs.get(the_title(client, title), number)
    if as_json:
        print_json(run)
        return
    run_view(run)


@app.command("log")
def log(
    number: int = NUMBER,
    title: str = TITLE,
    search: str = typer.Option("", "--search", help="Only lines with this text."),
    errors: bool = typer.Option(False, "--errors", help="Only errors, each kind once with its count."),
    follow: bool = typer.Option(False, "--follow", help="Go on until the run ends."),
) -> None:
    """A run's log on standard output."""
    with signed_in() as client:
        slug = the_title(client, title)
        if search:
            found = client.runs.search_log(slug, number, search)
            for at in found.numbers:
                out().print(f"{at:>7}  {client.runs.log(slug, number, at, 1).rows[0][3]}", markup=False)
            if found.more:
                err().print("There are more.")
        elif errors:
            for kind in client.runs.get(slug, number).kinds:
                if kind.level == "error":
                    out().print(f"{kind.count:>6} x  line {kind.first_line}: {kind.example}", markup=False)
        elif follow:
            events = client.runs.watch(slug, number)
            print_text(f"{row[3]}\n".encode() for event in events for row in getattr(event, "rows", ()))
        else:
            print_text(client.runs.log_text(slug, number))


@app.command("approve")
def approve(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Approve a run that somebody else started, where its signing identity wants that before it signs."""
    with signed_in() as client:
        slug = the_title(client, title)
        run = client.runs.approve(slug, number)
    if as_json:
        print_json(run)
        return
    missing = run.approvals_missing
    left = f"; {missing} more {'is' if missing == 1 else 'are'} needed" if missing else ""
    out().print(f"{run.name} is approved by {', '.join(run.approved_by)}{left}.")


@app.command("cancel")
def cancel(number: int = NUMBER, title: str = TITLE, yes: bool = YES, as_json: bool = JSON) -> None:
    """Cancel a run; its agent stops everything that runs for it within seconds."""
    with signed_in() as client:
        slug = the_title(client, title)
        run = client.runs.get(slug, number)
        at = f" at {run.step} on {run.agent}, after {duration(run.seconds)}" if run.step else ""
        err().print(f"Run {run.number}, {run.profile}, is {run.state}{at}.")
        if not confirmed("Cancel it?", yes):
            raise typer.Exit(1)
        run = client.runs.cancel(slug, number)
    if as_json:
        print_json(run)
        return
    out().print(f"Run {run.number} is {run.state}.")


@app.command("repeat")
def again(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Start an ended run again: the same commit, today's profile document."""
    with signed_in() as client:
        run = client.runs.repeat(the_title(client, title), number)
    if as_json:
        print_json(run)
        return
    out().print(f"Run {run.number}: {run.profile} at {built_from(run)}. Watch: rampa run watch {run.number}")


bisect.add_to(app)
