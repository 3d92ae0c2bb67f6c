"""More of `rampa channel`: a title's own channels, their names, audiences and order."""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import err, print_json, table
from rampa.core.errors import Invalid
from rampa.core.placement.channels import Audience
from rampa.schema.channels import Channel, ChannelChange, NewChannel

NAME = typer.Argument(..., help="The channel.")
AFTER = typer.Option("", "--after", help="The channel that it stands behind.")


def add_to(app: typer.Typer) -> None:
    """Puts these commands beside the others of the group."""
    for name, command in (("add", add), ("change", change), ("order", order), ("remove", remove)):
        app.command(name)(command)


def add(
    name: str = typer.Argument(..., help="Small letters, digits and dashes, such as press."),
    audience: Audience = typer.Option(Audience.BY_INVITATION, "--audience", help="Who may follow it."),
    after: str = AFTER,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Add a channel of the title's own; last in the order, or behind another."""
    with signed_in() as client:
        asked = NewChannel(name=name, audience=audience, after=after or None)
        channels = client.channels.add(the_title(client, title), asked)
    _shown(channels, as_json)


def change(
    name: str = NAME,
    new: str = typer.Option("", "--name", help="Another name. The old one goes on meaning this channel."),
    audience: Audience = typer.Option(None, "--audience", help="Who may follow it."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Give a channel another name or audience. What is live there stays live, and devices go on."""
    if not new and audience is None:
        raise Invalid("channel.nothing", "nothing is to change", hint="Say --name or --audience.")
    with signed_in() as client:
        channels = client.channels.change(
            the_title(client, title), name, ChannelChange(name=new or None, audience=audience)
        )
    _shown(channels, as_json)


def order(
    name: str = NAME,
    after: str = AFTER,
    first: bool = typer.Option(False, "--first", help="Before all others."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Put a channel elsewhere in the order: the ramp and gates follow it."""
    if first == bool(after):
        raise Invalid("channel.nowhere", "say where it goes", hint="Either --after CHANNEL or --first.")
    with signed_in() as client:
        channels = client.channels.change(the_title(client, title), name, ChannelChange(after=after))
    _shown(channels, as_json)


def remove(name: str = NAME, title: str = TITLE, yes: bool = YES, as_json: bool = JSON) -> None:
    """Remove a channel that nothing was ever placed on and nobody follows."""
    with signed_in() as client:
        whose = the_title(client, title)
        err().print(f"{name} of {whose} goes, and its name is free again.")
        if not confirmed(f"Remove {name}?", yes):
            raise typer.Exit(1)
        channels = client.channels.remove(whose, name)
    _shown(channels, as_json)


def _shown(channels: list[Channel], as_json: bool) -> None:
    if as_json:
        print_json(channels)
        return
    rows = [(i, c.name, c.audience.value.replace("-", " "), ", ".join(c.former)) for i, c in enumerate(channels, 1)]
    table([">place", "channel", "for", "~was called"], rows)
