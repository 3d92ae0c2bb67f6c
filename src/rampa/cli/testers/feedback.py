"""rampa feedback …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, first_rows, signed_in, the_title
from rampa.cli.base.output import ago, facts, out, print_json, table
from rampa.schema.feedback import CloseIn, Feedback

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Feedback: what testers say, answered and closed.")
NUMBER = typer.Argument(..., metavar="NUMBER", help="The feedback's number.")


@app.command("list")
def list_(
    title: str = TITLE,
    state: str = typer.Option("", "--state", help="open, answered or closed."),
    build: int = typer.Option(0, "--build", help="Only of this build."),
    search: str = typer.Option("", "--search", help="In what was said."),
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """What testers said, newest first."""
    said = {"state": state, "search": search, "build": str(build) if build else ""}
    with signed_in() as client:
        found = first_rows(client.feedback.all, the_title(client, title), limit=limit, **said)
    if as_json:
        print_json(found)
        return
    rows = [(f.number, f.state, f"#{f.build}", f.person, f.text[:70], f.device, ago(f.created_at)) for f in found]
    empty = "Nobody said anything yet."
    table(["#", "state", "build", "who", "~said", "on", "when"], rows, empty)


@app.command("show")
def show(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """One piece of feedback with all that was answered."""
    with signed_in() as client:
        found = client.feedback.get(the_title(client, title), number)
    _shown(found, as_json)


@app.command("answer")
def answer(
    number: int = NUMBER,
    text: str = typer.Argument(..., help="What you answer; the tester gets it by mail."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Answer a tester."""
    with signed_in() as client:
        found = client.feedback.answer(the_title(client, title), number, text)
    _shown(found, as_json)


@app.command("close")
def close(
    number: int = NUMBER,
    text: str = typer.Option("", "--text", help="What you say with it; the tester gets it by mail."),
    build: int = typer.Option(0, "--build", help="The build that mends it."),
    commit: str = typer.Option("", "--commit", help="The commit that mends it."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Close it, mended or not."""
    asked = CloseIn(text=text, build=build or None, commit=commit)
    with signed_in() as client:
        found = client.feedback.close(the_title(client, title), number, asked)
    _shown(found, as_json)


@app.command("reopen")
def reopen(number: int = NUMBER, title: str = TITLE, as_json: bool = JSON) -> None:
    """Open it again."""
    with signed_in() as client:
        found = client.feedback.reopen(the_title(client, title), number)
    _shown(found, as_json)


def _shown(found: Feedback, as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    mended = f"build {found.mended_build}" if found.mended_build else found.mended_commit[:10]
    facts(
        [
            ("feedback", f"{found.number} of {found.title}#{found.build}, {found.state}"),
            ("by", f"{found.person}, {ago(found.created_at)}"),
            ("on", found.device or "not said"),
            *([("mended by", mended)] if mended else []),
        ]
    )
    out().print(found.text, markup=False, highlight=False)
    for word in found.words:
        out().print(f"{word.who}, {ago(word.at)}: {word.text}", markup=False, highlight=False)
