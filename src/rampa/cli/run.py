"""`rampa run`: plan, start, watch, list, show, log, cancel, again; the queue."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

import typer
from rich.text import Text

from rampa.cli.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.output import ago, duration, err, facts, findings, out, plural, print_json, ruled, table

if TYPE_CHECKING:
    from rampa.client import Client
    from rampa.schema.runs import NewRuns, Plan, Run, RunSummary

app = typer.Typer(no_args_is_help=True, help="Runs: from a commit to a build.")
NUMBER = typer.Argument(..., metavar="RUN", help="The run's number.")
PROFILES = typer.Argument(
    None, metavar="[PROFILE]...", help="Profiles; without one, those that the branch has as its own."
)
OF = typer.Option("", "--of", help="Branch, tag or commit. [the repository's own branch]")
FROM_FOLDER = typer.Option(0, "--folder", help="An uploaded folder's number instead.", show_default=False)
ENVIRONMENT = typer.Option("", "--environment", help="Another environment group than the profile's.")
VERSION = typer.Option("", "--version-name", help="Another version name than the document's.")
NOTE = typer.Option("", "--note", help="Why; it stands with the run and its build.")
STYLES = {"done": "green", "failed": "bold red", "cancelled": "dim", "superseded": "dim", "working": "yellow"}
MARKS = {
    "done": "✓",
    "failed": "✗",
    "cancelled": "–",
    "superseded": "–",
    "working": "▸",
    "stopping": "▸",
    "waiting": "·",
}


def _asked(profiles: list[str] | None, of: str, folder: int, environment: str, version: str, note: str) -> NewRuns:
    from rampa.schema.runs import NewRuns

    return NewRuns(
        profiles=profiles or [],
        of=of,
        folder=folder or None,
        environment=environment,
        version_name=version,
        note=note,
    )


@app.command("plan")
def plan(
    profiles: list[str] = PROFILES,
    of: str = OF,
    folder: int = FROM_FOLDER,
    environment: str = ENVIRONMENT,
    version: str = VERSION,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """What runs would do: steps, names of variables, agents that can, what stops them. Changes nothing."""
    with signed_in() as client:
        plans = client.plan_runs(the_title(client, title), _asked(profiles, of, folder, environment, version, ""))
    if as_json:
        print_json(plans)
    else:
        for one in plans:
            _plan(one)
    if any(p.stops for p in plans):
        raise typer.Exit(6)


@app.command("start")
def start(
    profiles: list[str] = PROFILES,
    of: str = OF,
    folder: int = FROM_FOLDER,
    environment: str = ENVIRONMENT,
    version: str = VERSION,
    note: str = NOTE,
    watch: bool = typer.Option(False, "--watch", help="Stay and watch; Ctrl-C leaves them running."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Start runs of one or many profiles on one commit."""
    with signed_in() as client:
        slug = the_title(client, title)
        asked = _asked(profiles, of, folder, environment, version, note)
        plans = client.plan_runs(slug, asked)
        started = client.start_runs(slug, asked)
        if as_json:
            print_json(started)
        else:
            for run, planned in zip(started, plans, strict=True):
                about = f", about {duration(planned.expected)}" if planned.expected else ""
                out().print(f"Run {run.number}: {run.profile} at {_at(run)}{about}{_native(planned)}")
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
    """A live view: a line a run, its step, how long, how long still, and the end of the log. Ctrl-C leaves them running.

    Exit code: 0 when all are done, 10 when one failed, 11 when one was cancelled or superseded.
    """
    with signed_in() as client:
        slug = the_title(client, title)
        numbers = runs or [r.number for r in client.runs(slug, state="open")]
        if not numbers:
            err().print("No run is open. Start one: rampa run start PROFILE")
            return
        raise typer.Exit(_watch(client, slug, sorted(numbers)))


def _watch(client: Client, slug: str, numbers: list[int]) -> int:
    from rampa.cli.run_watch import watch_runs

    return watch_runs(client, slug, numbers)


@app.command("list")
def list_(
    title: str = TITLE,
    state: str = typer.Option("", "--state", help="open, waiting, working, done, failed, cancelled or superseded."),
    profile: str = typer.Option("", "--profile"),
    why: str = typer.Option("", "--why", help="hand, trigger, schedule, call or again."),
    search: str = typer.Option("", "--search", help="In notes, or the beginning of a commit."),
    limit: int = typer.Option(30, "--limit", help="Rows at most."),
    as_json: bool = JSON,
) -> None:
    """Runs, newest first."""
    asked = {"state": state, "profile": profile, "why": why, "search": search}
    rows: list[RunSummary] = []
    with signed_in() as client:
        query = {k: v for k, v in asked.items() if v}
        for run in client.runs(the_title(client, title), limit=min(limit, 200), **query):
            rows.append(run)
            if len(rows) == limit:
                break
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
                _at(r),
                r.why + (f" {r.trigger}" if r.trigger else ""),
                r.agent or "-",
                duration(r.seconds) if r.taken_at else "-",
                r.warnings or "",
                f"#{r.build}" if r.build else "",
                f"{ago(r.created_at)} by {r.started_by}",
                r.cause.sentence if r.cause else r.waits_for or _superseded(r),
            )
            for r in rows
        ],
        "No run matches. Start one: rampa run start PROFILE",
    )


@app.command("queue")
def queue(as_json: bool = JSON) -> None:
    """What waits for what, and why; of all titles."""
    with signed_in() as client:
        found = client.queue()
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
                _step_words(q.run),
                duration(q.run.seconds) if q.run.taken_at else ago(q.run.created_at).removesuffix(" ago"),
                f"{duration(q.run.left)}" if q.run.left is not None else "",
                q.run.waits_for or _silent(q.run),
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
        run = client.run(the_title(client, title), number)
    if as_json:
        print_json(run)
        return
    _run(run)


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
            found = client.search_log(slug, number, search)
            for at in found.numbers:
                out().print(f"{at:>7}  {client.log(slug, number, at, 1).rows[0][3]}", markup=False)
            if found.more:
                err().print("There are more.")
        elif errors:
            for kind in client.run(slug, number).kinds:
                if kind.level == "error":
                    out().print(f"{kind.count:>6} x  line {kind.first_line}: {kind.example}", markup=False)
        elif follow:
            for event in client.watch_run(slug, number):
                for row in getattr(event, "rows", ()):
                    sys.stdout.write(row[3] + "\n")
                sys.stdout.flush()
        else:
            for piece in client.log_text(slug, number):
                sys.stdout.buffer.write(piece)


@app.command("cancel")
def cancel(number: int = NUMBER, title: str = TITLE, yes: bool = YES, as_json: bool = JSON) -> None:
    """Cancel a run; its agent stops everything that runs for it within seconds."""
    with signed_in() as client:
        slug = the_title(client, title)
        run = client.run(slug, number)
        at = f" at {run.step} on {run.agent}, after {duration(run.seconds)}" if run.step else ""
        err().print(f"Run {run.number}, {run.profile}, is {run.state}{at}.")
        if not confirmed("Cancel it?", yes):
            raise typer.Exit(1)
        run = client.cancel_run(slug, number)
    if as_json:
        print_json(run)
        return
    out().print(f"Run {run.number} is {run.state}.")


@app.command("again")
def again(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Start an ended run again: the same commit, today's profile document."""
    with signed_in() as client:
        run = client.start_again(the_title(client, title), number)
    if as_json:
        print_json(run)
        return
    out().print(f"Run {run.number}: {run.profile} at {_at(run)}. Watch: rampa run watch {run.number}")


def state_text(state: str) -> Text:
    """A mark and a word beside the colour."""
    return Text(f"{MARKS.get(state, '·')} {state}", style=STYLES.get(state, ""))


def _native(planned: Plan) -> str:
    if planned.native is None:
        return ""
    what = "native part changed" if planned.native.needed else "only content changed"
    return f"; {what} since #{planned.native.since}"


def _at(run: RunSummary) -> str:
    if run.folder:
        return f"folder {run.folder}"
    ref = run.ref.partition("/")[2]
    return f"{ref} {run.commit[:10]}".strip()


def _superseded(run: RunSummary) -> str:
    return f"run {run.superseded_by} is newer" if run.superseded_by else ""


def _step_words(run: RunSummary) -> str:
    return f"{run.step} ({run.step_number} of {run.step_count})" if run.step else ""


def _silent(run: RunSummary) -> str:
    return f"silent for {duration(run.silent)}" if run.silent else ""


def _plan(p: Plan) -> None:
    where = f"folder {p.folder}" if p.folder else f"{p.ref.partition('/')[2]} {p.commit[:10]} “{p.subject}”".strip()
    about = duration(p.expected) if p.expected else "not known yet: it never ran"
    names = [*p.variables, *(f"{s} (secret)" for s in p.secrets)]
    rows: list[tuple[str, object]] = [
        ("profile", Text(f"{p.profile}", style="bold")),
        ("for", f"{p.platform_title}, {p.purpose}, revision {p.revision}"),
        ("of", where),
        ("version", f"{p.version_name}, code {p.next_code} as it stands"),
        ("environment", f"{p.environment or 'none'}: {', '.join(names) or '-'}"),
        ("toolchain", p.toolchain or "none is named"),
        ("takes", about),
    ]
    if p.native:
        rows.append(("native", p.native.said))
    facts(rows)
    grid = ruled()
    for name in ("step", "~what it does", ">time limit", ">retries", "when"):
        grid.add_column(name.lstrip("~>"), justify="right" if name[0] == ">" else "left", overflow="fold")
    for s in p.steps:
        grid.add_row(s.name, Text(" ".join(s.run) or _built_in(s.kind)), duration(s.seconds), str(s.retries), s.when)
    out().print(grid)
    for a in p.agents:
        can = "can do it" + (f" with {a.toolchain}" if a.toolchain else "") if not a.lacks else "; ".join(a.lacks)
        out().print(Text(f"agent {a.name} ({a.state}): {can}", style="" if not a.lacks else "dim"))
    if not p.agents:
        out().print("No agent is there yet.", style="dim")
    findings(p.findings)
    for stop in p.stops:
        out().print(Text(f"It cannot start: {stop}", style="bold red"))
    out().print()


def _built_in(kind: str) -> str:
    from rampa.core.run.steps import BUILT_IN

    return BUILT_IN.get(kind, "")


def _run(run: Run) -> None:
    took = duration(run.seconds) if run.taken_at else "-"
    expected = f", usually {duration(run.expected)}" if run.expected else ""
    rows: list[tuple[str, object]] = [
        ("run", Text(f"{run.title} {run.number}, {run.profile}", style="bold")),
        ("state", state_text(run.state)),
        ("of", f"{_at(run)} {f'“{run.subject}”' if run.subject else ''}"),
        ("started", f"{ago(run.created_at)} by {run.started_by} ({run.why}{' ' + run.trigger if run.trigger else ''})"),
        ("agent", f"{run.agent or '-'}{f', attempt {run.attempt}' if run.attempt > 1 else ''}; {took}{expected}"),
        ("log", f"{plural(run.log_lines, 'line')}, {plural(run.errors, 'error')}, {plural(run.warnings, 'warning')}"),
    ]
    if run.build:
        rows.append(("build", f"{run.title}#{run.build}"))
    if run.waits_for:
        rows.append(("waits for", run.waits_for))
    if run.superseded_by:
        rows.append(("superseded", _superseded(run)))
    if run.note:
        rows.append(("note", run.note))
    facts(rows)
    if run.cause:
        out().print(Text(f"\n✗ {run.cause.sentence}.", style="bold red"))
        out().print(Text(f"  {run.cause.fix}", style="dim"))
    for attempt in run.attempts:
        out().print()
        head = f"attempt {attempt.number}" if len(run.attempts) > 1 else "step"
        table(
            [head, "state", ">took", ">usually", ">tries", "~said"],
            [
                (
                    s.name,
                    state_text(s.state),
                    duration(s.seconds) if s.seconds is not None else "",
                    duration(s.expected) if s.expected is not None else "",
                    s.tries if s.tries > 1 else "",
                    s.said,
                )
                for s in attempt.steps
            ],
        )
    if run.kinds:
        out().print()
        rows_ = [(k.level, k.count, k.first_line, k.example) for k in run.kinds[:20]]
        table(["kind", ">times", ">first line", "~such as"], rows_)
