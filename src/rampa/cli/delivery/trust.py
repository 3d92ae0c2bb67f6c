"""rampa trust …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.output import day, err, facts, print_json, table
from rampa.cli.delivery import ceremony
from rampa.schema.trust import Trust

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Trust: what a title's devices believe, and until when."
)
app.add_typer(ceremony.app, name="ceremony")


@app.command("show")
def show(title: str = TITLE, as_json: bool = JSON) -> None:
    """A title's root, its holders, and until when what the service signs holds."""
    with signed_in() as client:
        found = client.delivery.trust(the_title(client, title))
    if as_json:
        print_json(found)
        return
    if found.root is None:
        err().print(f"{found.title} has no root yet. Its steps: rampa trust ceremony")
        return
    facts(_root(found))
    rows = [(r.role, str(r.version), day(r.expires_at), day(r.alarm_at), "!" if r.alarm else "") for r in found.roles]
    table(
        ["signed by", "#version", "holds until", "alarm from", ""], rows, "Nothing is signed yet: the worker does it."
    )
    for alarm in found.alarms:
        err().print(f"! {alarm}", soft_wrap=True)


def _root(found: Trust) -> list[tuple[str, object]]:
    root = found.root
    assert root is not None
    return [
        ("title", f"{found.title} ({found.identifier})"),
        ("root", f"{root.version}, published {day(root.published_at)} by {root.published_by}"),
        ("holders", f"{', '.join(root.holders)}; any {root.threshold} sign the next"),
    ]
