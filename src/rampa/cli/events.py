"""rampa event …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, LIMIT, first_rows, signed_in
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
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Audit events, newest first."""
    with signed_in() as client:
        rows = first_rows(client.events.all, limit=limit, title=title, act=act, who=who, day=day)
    if as_json:
        print_json(rows)
        return
    shown = [
        (ago(e.at), e.who or "Rampa", e.sentence, ", ".join(f"{k} {_said(v)}" for k, v in e.more.items())) for e in rows
    ]
    table(["when", "who", "~what", "~more"], shown, "Nothing happened yet.")


def _said(value: object) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)
