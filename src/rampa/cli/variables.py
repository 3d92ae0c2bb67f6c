"""`rampa variables`: groups of variables and secrets that steps get."""

from __future__ import annotations

import os
import sys

import typer

from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.output import ago, err, facts, out, print_json, table
from rampa.core.errors import Invalid, NotFound
from rampa.core.quantity import counted

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Step variables: variables and secrets that steps get."
)
NAME = typer.Argument(..., metavar="GROUP", help="The group's name.")


@app.command("set")
def set_(
    name: str = NAME,
    variables: list[str] = typer.Argument(None, metavar="[NAME=VALUE]...", help="Variables, which people may read."),
    secret: list[str] = typer.Option(
        [],
        "--secret",
        metavar="NAME",
        help="A secret; its value comes from the variable of that name, or is asked for.",
    ),
    drop: list[str] = typer.Option([], "--drop", metavar="NAME", help="A variable or secret to take out; repeatable."),
    note: str = typer.Option("", "--note", help="What the group is for."),
    as_json: bool = JSON,
) -> None:
    """Make a group, or change it: what is not named stays as it is."""
    from rampa.schema.sources import StepVariablesIn

    with signed_in() as client:
        try:
            before = client.variables.get(name)
            plain, secrets, said, seen = (
                dict(before.variables),
                dict.fromkeys(before.secrets),
                before.note,
                before.version,
            )
        except NotFound:
            plain, secrets, said, seen = {}, {}, "", None
        given: dict[str, str | None] = dict(secrets)
        for pair in variables or []:
            key, equals, value = pair.partition("=")
            if not equals:
                raise Invalid("variables.pair", f"{pair!r} does not read NAME=VALUE")
            plain[key] = value
        for key in secret:
            given[key] = os.environ.get(key) or _ask(key)
        for key in drop:
            plain.pop(key, None)
            given.pop(key, None)
        made = client.variables.put(name, StepVariablesIn(variables=plain, secrets=given, note=note or said), seen)
    if as_json:
        print_json(made)
        return
    out().print(f"{name}: {counted(len(made.variables), 'variable')}, {counted(len(made.secrets), 'secret')}.")


def _ask(key: str) -> str:
    if not sys.stdin.isatty():
        raise Invalid(
            "variables.secret", f"the variable {key} is not set", hint=f"Set {key}, or run this in a terminal."
        )
    value: str = typer.prompt(f"Value of {key}", hide_input=True, err=True)
    return value


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """All groups, and who names them."""
    with signed_in() as client:
        found = client.variables.all()
    if as_json:
        print_json(found)
        return
    table(
        ["group", "~variables", "~secrets", "~named by", "changed"],
        [
            (
                e.name,
                ", ".join(e.variables) or "-",
                ", ".join(e.secrets) or "-",
                ", ".join(e.used_by) or "-",
                ago(e.changed_at),
            )
            for e in found
        ],
        "No group is there: rampa variables set GROUP NAME=VALUE",
    )


@app.command("show")
def show(name: str = NAME, as_json: bool = JSON) -> None:
    """One group: its variables, the names of its secrets."""
    with signed_in() as client:
        found = client.variables.get(name)
    if as_json:
        print_json(found)
        return
    changed = f"{ago(found.changed_at)} by {found.changed_by}, version {found.version}"
    named = ", ".join(found.used_by) or "-"
    facts([("group", found.name), ("note", found.note or "-"), ("named by", named), ("changed", changed)])
    out().print()
    rows = [*found.variables.items(), *((s, "••• (secret)") for s in found.secrets)]
    table(["variable", "~value"], rows, "It is empty.")


@app.command("remove")
def remove(name: str = NAME, yes: bool = YES) -> None:
    """Remove a group that no profile names. Its secrets are gone then."""
    with signed_in() as client:
        found = client.variables.get(name)
        err().print(
            f"{name} holds {counted(len(found.variables), 'variable')} and {counted(len(found.secrets), 'secret')}."
        )
        if not confirmed("Remove it?", yes):
            raise typer.Exit(1)
        client.variables.remove(name)
    out().print(f"{name} is removed.")
