"""What commands share: the signed-in client, names that people say aloud, the common options."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from itertools import islice
from typing import TYPE_CHECKING, TypeVar

import typer

from rampa.cli.base import home
from rampa.cli.base.passwords import ask_code, can_ask_code
from rampa.core.errors import Invalid

if TYPE_CHECKING:
    from rampa.client import Client

JSON = typer.Option(False, "--json", help="Print what the service answered, as JSON.")
YES = typer.Option(False, "--yes", help="Do it without asking.")
LIMIT = typer.Option(30, "--limit", min=1, help="Rows at most.")
TITLE = typer.Option("", "--title", help="The title's short name; may be left out where there is only one.")
PAGE = 200
"""Rows that a list gives at once, at most."""
T = TypeVar("T")
BUILD = re.compile(r"(?:([a-z0-9][a-z0-9-]*)#)?(\d{1,9})")


@contextmanager
def signed_in() -> Iterator[Client]:
    """The client for the service that this machine is signed in to."""
    from rampa.client import Client  # commands that need no service start without it

    known = home.must_load()
    with Client(known.address, known.token) as client:
        client.connection.ask_code = ask_code if can_ask_code() else None
        yield client


def the_title(client: Client, given: str) -> str:
    """The title that is meant: the one named, or the only one."""
    if given:
        return given
    names = [t.slug for t in client.titles.all()]
    if len(names) == 1:
        return names[0]
    hint = f"There is: {', '.join(names)}." if names else "Import one: `rampa title import FOLDER`."
    raise Invalid("title.not-set", "which title is not clear: give --title", hint=hint)


def the_build(client: Client, spoken: str, title: str = "") -> tuple[str, int]:
    """`peatlight#14` as title and number; `14` alone where there is only one title."""
    match = BUILD.fullmatch(spoken)
    if match is None:
        raise Invalid("build.name", f"{spoken!r} does not name a build", hint="Say it as in peatlight#14.")
    return match.group(1) or the_title(client, title), int(match.group(2))


def first_rows(call: Callable[..., Iterable[T]], *of: str, limit: int, **asked: str) -> list[T]:
    """As many of a list as are wanted, page after page; what is empty is not asked for."""
    said = {name: value for name, value in asked.items() if value}
    return list(islice(call(*of, limit=min(limit, PAGE), **said), limit))


def confirmed(question: str, yes: bool) -> bool:
    """Asks on a terminal; without one, and without --yes, the answer is no."""
    import sys

    if yes:
        return True
    # Nobody is there to answer: a script that meant it says --yes.
    if not sys.stdin.isatty():
        typer.echo("Not done: confirm with --yes.", err=True)
        return False
    return typer.confirm(question, err=True)
