"""rampa channel: who may install from a channel by invitation."""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.moments import read_moment
from rampa.cli.base.output import moment, out, print_json, table
from rampa.core.address import normal
from rampa.core.errors import NotFound
from rampa.schema.testers import Access, AccessIn

CHANNEL = typer.Argument(..., metavar="CHANNEL", help="The channel.")
GROUP = typer.Option("", "--group", help="A group of testers.")
PERSON = typer.Option("", "--person", help="One person, by their address.")


def add_to(app: typer.Typer) -> None:
    app.command("access")(access)
    app.command("give-access")(give_access)
    app.command("take-access")(take_access)


def access(channel: str = CHANNEL, title: str = TITLE, as_json: bool = JSON) -> None:
    """Who may install from a channel, and until when."""
    with signed_in() as client:
        found = client.testers.access(the_title(client, title), channel)
    _shown(found, as_json)


def give_access(
    channel: str = CHANNEL,
    group: str = GROUP,
    person: str = PERSON,
    until: str = typer.Option("", "--until", help="When it ends: 2026-12-24T18:00, or in 14d."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Let a group or a person install from a channel, until a moment if you want."""
    ends = read_moment(until, ahead=True) if until else None
    asked = AccessIn(group=group, email=person or None, until=ends)
    with signed_in() as client:
        found = client.testers.give_access(the_title(client, title), channel, asked)
    _shown(found, as_json)


def take_access(channel: str = CHANNEL, group: str = GROUP, person: str = PERSON, title: str = TITLE) -> None:
    """Take access to a channel from a group or a person, at once."""
    with signed_in() as client:
        slug = the_title(client, title)
        whose = [a for a in client.testers.access(slug, channel) if _is(a, group, person)]
        if not whose:
            who = group or person or "nobody"
            raise NotFound(
                "access.unknown", f"{who} has no access to {channel}", hint=f"rampa channel access {channel}"
            )
        client.testers.take_access(slug, channel, whose[0].id)
    out().print(f"{group or person} may not install from {channel} by that any more.")


def _is(access: Access, group: str, person: str) -> bool:
    if group:
        return access.group == group
    return bool(person) and normal(access.email) == normal(person)


def _shown(found: list[Access], as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    rows = [
        (
            a.group or f"{a.person} ({a.email})",
            a.people,
            "ended" if a.ended else moment(a.until) if a.until else "it is taken away",
            a.given_by,
        )
        for a in found
    ]
    empty = "Nobody was given access: rampa channel give-access CHANNEL --group GROUP"
    table(["who", "#people", "until", "given by"], rows, empty)
