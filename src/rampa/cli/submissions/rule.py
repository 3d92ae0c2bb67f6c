"""rampa rule …"""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import ago, out, print_json, table
from rampa.core.errors import Invalid
from rampa.schema.submissions import RuleIn

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Rules: checks of the studio's own, of what storefronts found and no table knows.",
)


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """The studio's own checks of submissions."""
    with signed_in() as client:
        found = client.submissions.rules()
    if as_json:
        print_json(found)
        return
    rows = [
        (r.name, r.severity, r.says, ", ".join(r.storefronts) or "all", r.made_of, r.made_by, ago(r.created_at))
        for r in found
    ]
    empty = "No rule yet: rampa rule add FILE, or rampa rule add --from SUBMISSION --found N"
    table(["rule", "severity", "~says", "storefronts", "~made of", "by", "made"], rows, empty)


@app.command("show")
def show(name: str = typer.Argument(..., help="The rule's name.")) -> None:
    """A rule as it is written."""
    with signed_in() as client:
        found = next((r for r in client.submissions.rules() if r.name == name), None)
    if found is None:
        raise Invalid("rule.unknown", f"the studio has no rule {name!r}", hint="See `rampa rule list`.")
    out().print(found.text, end="", soft_wrap=True)


@app.command("add")
def add(
    file: Path = typer.Argument(
        None, exists=True, dir_okay=False, help="A file with one rule, as docs/submissions.md says."
    ),
    submission: int = typer.Option(0, "--from", metavar="SUBMISSION", help="Make it of what a storefront found there."),
    found: int = typer.Option(1, "--found", min=1, help="Which of its findings, from 1."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Add a check: from a file, or made of what a storefront found."""
    if (file is None) == (not submission):
        raise Invalid(
            "rule.what", "a rule comes from a file or from a finding", hint="Give a file, or --from SUBMISSION."
        )
    with signed_in() as client:
        asked = (
            RuleIn(text=file.read_text(encoding="utf-8"))
            if file
            else RuleIn(title=the_title(client, title), submission=submission, found=found)
        )
        made = client.submissions.add_rule(asked)
    if as_json:
        print_json(made)
    else:
        out().print(f"The rule {made.name} is checked from now on, before anything is sent:\n")
        out().print(made.text, end="", soft_wrap=True)


@app.command("remove")
def remove(name: str = typer.Argument(..., help="The rule's name."), yes: bool = YES) -> None:
    """Remove a check of the studio's own."""
    if not confirmed(f"Remove the rule {name}? Nothing is checked by it any more.", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        client.submissions.remove_rule(name)
    out().print(f"The rule {name} is gone.")
