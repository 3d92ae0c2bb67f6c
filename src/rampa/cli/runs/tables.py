"""Runs and plans as a terminal shows them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from rampa.cli.base.output import ago, duration, facts, findings, out, ruled, table
from rampa.core.quantity import counted

if TYPE_CHECKING:
    from rampa.schema.runs import Plan, Run, RunSummary

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


def state_text(state: str) -> Text:
    """A mark and a word beside the colour."""
    return Text(f"{MARKS.get(state, '·')} {state.replace('-', ' ')}", style=STYLES.get(state, ""))


def native(planned: Plan) -> str:
    if planned.native is None:
        return ""
    what = "native part changed" if planned.native.needed else "only content changed"
    return f"; {what} since #{planned.native.since}"


def built_from(run: RunSummary) -> str:
    if run.folder:
        return f"folder {run.folder}"
    ref = run.ref.partition("/")[2]
    return f"{ref} {run.commit[:10]}".strip()


def superseded(run: RunSummary) -> str:
    return f"run {run.superseded_by} is newer" if run.superseded_by else ""


def step_words(run: RunSummary) -> str:
    return f"{run.step} ({run.step_number} of {run.step_count})" if run.step else ""


def silent(run: RunSummary) -> str:
    return f"silent for {duration(run.silent)}" if run.silent else ""


def plan_view(p: Plan) -> None:
    where = f"folder {p.folder}" if p.folder else f"{p.ref.partition('/')[2]} {p.commit[:10]} “{p.subject}”".strip()
    about = duration(p.expected) if p.expected else "not known yet: it never ran"
    names = [*p.variables, *(f"{s} (secret)" for s in p.secrets)]
    rows: list[tuple[str, object]] = [
        ("profile", Text(f"{p.profile}", style="bold")),
        ("for", f"{p.platform_title}, {p.purpose}, revision {p.revision}"),
        ("of", where),
        ("version", f"{p.version_name}, code {p.next_code} as it stands"),
        ("variables", f"{p.step_variables or 'none'}: {', '.join(names) or '-'}"),
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
        grid.add_row(
            s.name, Text(" ".join(s.command) or _built_in(s.kind)), duration(s.seconds), str(s.retries), s.when
        )
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


def run_view(run: Run) -> None:
    took = duration(run.seconds) if run.taken_at else "-"
    expected = f", usually {duration(run.expected)}" if run.expected else ""
    rows: list[tuple[str, object]] = [
        ("run", Text(f"{run.title} {run.number}, {run.profile}", style="bold")),
        ("state", state_text(run.state)),
        ("of", f"{built_from(run)} {f'“{run.subject}”' if run.subject else ''}"),
        ("started", f"{ago(run.created_at)} by {run.started_by} ({run.why}{' ' + run.trigger if run.trigger else ''})"),
        ("agent", f"{run.agent or '-'}{f', attempt {run.attempt}' if run.attempt > 1 else ''}; {took}{expected}"),
        (
            "log",
            f"{counted(run.log_lines, 'line')}, {counted(run.errors, 'error')}, {counted(run.warnings, 'warning')}",
        ),
    ]
    if run.build:
        rows.append(("build", f"{run.title}#{run.build}"))
    if run.waits_for:
        rows.append(("waits for", run.waits_for))
    if run.superseded_by:
        rows.append(("superseded", superseded(run)))
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
