"""rampa event …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, signed_in
from rampa.cli.base.output import ago, print_json, table

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Who did what.")


@app.callback()
def group() -> None:
    """Who did what."""


@app.command("list")
def list_(
    title: str = typer.Option("", "--title", help="Of one title only."),
    who: str = typer.Option("", "--who", help="By one person, by name."),
    day: str = typer.Option("", "--day", help="On one day, such as 2026-11-28, in UTC."),
    act: str = typer.Option("", "--act", help="Acts that start so, for example build. or key.use"),
    limit: int = typer.Option(30, "--limit", help="Rows at most."),
    as_json: bool = JSON,
) -> None:
    """Audit events, newest first."""
    with signed_in() as client:
        rows = []
        for event in client.events.all(
            title=title or None, act=act or None, who=who or None, day=day or None, limit=min(limit, 200)
        ):
            rows.append(event)
            if len(rows) == limit:
                break
    if as_json:
        print_json(rows)
        return
    shown = [
        (ago(e.at), e.who or "Rampa", e.sentence, ", ".join(f"{k} {_said(v)}" for k, v in e.more.items())) for e in rows
    ]
    table(["when", "who", "~what", "~more"], shown, "Nothing happened yet.")


def _said(value: object) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)
