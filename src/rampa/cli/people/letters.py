"""rampa letters …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, signed_in
from rampa.cli.base.output import out, print_json, table
from rampa.core.notices.kinds import NoticeKind, NoticeTime
from rampa.schema.letters import NoticeChoice

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Letters: what you are told of, at once or once a day."
)
KIND = typer.Argument(..., help="Such as runs or health; `rampa letters list` shows them.")
TITLE = typer.Option("", "--title", help="For this title alone; for all others without it.")


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """What you are told of, and when."""
    with signed_in() as client:
        _show(client.letters.choices(), as_json)


@app.command("choose")
def choose(
    kind: NoticeKind = KIND,
    time: NoticeTime = typer.Argument(..., help="at-once, daily (a digest at 06:00 UTC) or never."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Be told of a kind at once, once a day or never."""
    with signed_in() as client:
        _show(client.letters.choose(kind, time, title), as_json)


@app.command("forget")
def forget(kind: NoticeKind = KIND, title: str = TITLE, as_json: bool = JSON) -> None:
    """Take a choice back: a title goes by what is chosen for all, and all are told nothing."""
    with signed_in() as client:
        _show(client.letters.choose(kind, None, title), as_json)


def _show(found: list[NoticeChoice], as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    rows = [(c.kind, c.words, c.time, ", ".join(f"{t.title}: {t.time}" for t in c.titles)) for c in found]
    table(["kind", "~what", "when", "~by title"], rows)
    if all(c.time == NoticeTime.NEVER and not c.titles for c in found):
        out().print("You are told nothing yet: rampa letters choose runs at-once")
