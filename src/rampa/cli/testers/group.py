"""rampa group …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import err, moment, out, print_json, table
from rampa.cli.testers.tester import find_tester
from rampa.core.errors import NotFound
from rampa.core.quantity import counted
from rampa.schema.testers import Group, GroupAccess, GroupChange, NewGroup

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Groups of testers: seats, members, channels.")
GROUP = typer.Argument(..., metavar="GROUP", help="The group.")
EMAIL = typer.Argument(..., metavar="ADDRESS", help="Somebody who has an account here.")


@app.command("list")
def list_(title: str = TITLE, as_json: bool = JSON) -> None:
    """A title's groups of testers."""
    with signed_in() as client:
        groups = client.testers.groups(the_title(client, title))
    _shown(groups, as_json)


@app.command("add")
def add(
    name: str = GROUP,
    seats: int = typer.Option(0, "--seats", min=0, help="The most people in it; 0 for no limit."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Make a group. Give it a channel with `rampa channel give-access`."""
    with signed_in() as client:
        made = client.testers.add_group(the_title(client, title), NewGroup(name=name, seats=seats))
    _shown(made.items, as_json)


@app.command("change")
def change(
    name: str = GROUP,
    to: str = typer.Option("", "--name", help="Its name from now on."),
    seats: int = typer.Option(-1, "--seats", min=0, help="The most people in it; 0 for no limit.", show_default=False),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Give a group another name, or another number of seats."""
    asked = GroupChange(name=to or None, seats=seats if seats >= 0 else None)
    with signed_in() as client:
        made = client.testers.change_group(the_title(client, title), name, asked)
    _shown(made.items, as_json)


@app.command("remove")
def remove(name: str = GROUP, title: str = TITLE, yes: bool = YES) -> None:
    """Remove a group: its members lose, at once, what they had by it alone."""
    with signed_in() as client:
        slug = the_title(client, title)
        group = next((g for g in client.testers.groups(slug) if g.name == name), None)
        if group is None:
            raise NotFound("group.unknown", f"{slug} has no group {name!r}", hint="rampa group list")
        there = ", ".join(a.channel for a in group.channels) or "no channel"
        err().print(
            f"{name} has {counted(group.members, 'member')} and {counted(group.invited, 'open invitation')}; by it they may"
            f" install from {there}."
        )
        if not confirmed(f"Remove {name}?", yes):
            raise typer.Exit(1)
        client.testers.remove_group(slug, name)
    out().print(f"{name} is removed.")


@app.command("join")
def join(name: str = GROUP, email: str = EMAIL, title: str = TITLE, as_json: bool = JSON) -> None:
    """Put somebody who has an account into a group, without a letter."""
    with signed_in() as client:
        made = client.testers.add_member(the_title(client, title), name, email)
    _shown(made.items, as_json)


@app.command("leave")
def leave(name: str = GROUP, email: str = EMAIL, title: str = TITLE) -> None:
    """Take somebody out of a group; what they have by another stays."""
    with signed_in() as client:
        slug = the_title(client, title)
        client.testers.remove_member(slug, name, find_tester(client, slug, email).id)
    out().print(f"{email} is not in {name} any more.")


def _shown(groups: list[Group], as_json: bool) -> None:
    if as_json:
        print_json(groups)
        return
    rows = [
        (
            g.name,
            g.members,
            g.invited or "",
            f"{g.seats - g.members - g.invited} of {g.seats}" if g.seats else "no limit",
            ", ".join(a.channel + _until(a) for a in g.channels) or "none yet",
        )
        for g in groups
    ]
    empty = "No group yet: rampa group add NAME"
    table(["group", "#members", "#invited", "free seats", "channels"], rows, empty)


def _until(access: GroupAccess) -> str:
    if access.until is None:
        return ""
    return " (ended)" if access.ended else f" (until {moment(access.until)})"
