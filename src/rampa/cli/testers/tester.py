"""rampa tester …"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, YES, confirmed, first_rows, signed_in, the_title
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.core.address import normal
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.quantity import counted
from rampa.schema.testers import AddressesIn, Tester

if TYPE_CHECKING:
    from rampa.client import Client
    from rampa.schema.testers import InvitePreview

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Testers: invite them, see who has what, take one out."
)
GROUP = typer.Option(..., "--group", help="The group that they come into.")


@app.command("list")
def list_(
    title: str = TITLE,
    group: str = typer.Option("", "--group", help="Only the members of this group."),
    search: str = typer.Option("", "--search", help="In names and addresses."),
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Who tests a title: groups, channels, devices."""
    with signed_in() as client:
        found = first_rows(client.testers.all, the_title(client, title), limit=limit, group=group, search=search)
    if as_json:
        print_json(found)
        return
    rows = [
        (t.name, t.email, ", ".join(t.groups), ", ".join(t.channels) or "no channel", t.devices, ago(t.last_seen_at))
        for t in found
    ]
    empty = "Nobody tests it yet. Begin with a group: rampa group add NAME"
    table(["name", "address", "groups", "may install from", "#devices", "last seen"], rows, empty)


@app.command("invite")
def invite(
    addresses: list[str] = typer.Argument(None, help="Addresses, each as in kaisa@quillback.example."),
    group: str = GROUP,
    file: str = typer.Option("", "--file", help="A list or CSV, one person a line; - for standard input."),
    leave_out: bool = typer.Option(False, "--leave-out-mistakes", help="Invite the others where lines are wrong."),
    title: str = TITLE,
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Invite people by mail, many at once. Shows first who is new, and each line that is wrong."""
    asked = AddressesIn(addresses=_read(addresses or [], file), leave_out_mistakes=leave_out)
    with signed_in() as client:
        slug = the_title(client, title)
        seen = client.testers.preview(slug, group, asked)
        if not as_json:
            _preview_shown(seen)
        _must_go(seen, leave_out)
        question = f"Invite {counted(seen.new, 'person', 'people')} to {group}?"
        if not confirmed(question, yes):
            raise typer.Exit(1)
        done = client.testers.invite(slug, group, asked)
    if as_json:
        print_json(done)
        return
    out().print(f"{counted(done.new, 'letter is', 'letters are')} on the way.")
    out().print("Who answers: rampa invitation list")


def _read(addresses: list[str], file: str) -> str:
    if bool(addresses) == bool(file):
        raise Invalid("addresses.where", "say the addresses, or where the list is", where="--file")
    if addresses:
        return "\n".join(addresses)
    try:
        return sys.stdin.read() if file == "-" else Path(file).read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid("addresses.file", "the list cannot be read as UTF-8 text", where=file) from error


def _preview_shown(seen: InvitePreview) -> None:
    if seen.mistakes:
        table(["#line", "~text", "~what is wrong"], [(m.line, m.text, m.said) for m in seen.mistakes])
        if seen.wrong > len(seen.mistakes):
            err().print(f"… and {seen.wrong - len(seen.mistakes):,} more lines.")
    there = [f"{seen.members:,} in the group already"] * bool(seen.members)
    there += [f"{seen.invited:,} with a link that is still good"] * bool(seen.invited)
    seats = f"; {seen.free} of {seen.seats} seats are free" if seen.seats else ""
    err().print(", ".join([f"{seen.new:,} new", *there]) + seats + ".")


def _must_go(seen: InvitePreview, leave_out: bool) -> None:
    if seen.wrong and not leave_out:
        hint = "Mend them, or say --leave-out-mistakes."
        raise Invalid(
            "addresses.mistakes", f"{counted(seen.wrong, 'line is', 'lines are')} wrong; nobody was invited", hint=hint
        )
    if not seen.fits:
        raise Refused("group.full", f"{seen.new} seats are needed, and {seen.free} are free", hint="rampa group change")
    if not seen.new:
        raise Refused("addresses.nobody-new", "there is nobody new on the list")


@app.command("withdraw")
def withdraw(
    email: str = typer.Argument(..., metavar="ADDRESS", help="The tester's address."),
    title: str = TITLE,
    yes: bool = YES,
) -> None:
    """Take a tester out: groups, channels and devices of the title, at once; what is installed stays on their machines."""
    with signed_in() as client:
        slug = the_title(client, title)
        who = find_tester(client, slug, email)
        err().print(
            f"{who.name} loses {slug}: {', '.join(who.groups) or 'no group'}; {counted(who.devices, 'device')} are taken out."
        )
        if not confirmed(f"Withdraw {who.email}?", yes):
            raise typer.Exit(1)
        client.testers.withdraw(slug, who.id)
    out().print(f"{who.email} tests {slug} no more.")


def find_tester(client: Client, slug: str, email: str) -> Tester:
    for tester in client.testers.all(slug, search=email):
        if normal(tester.email) == normal(email):
            return tester
    raise NotFound("tester.unknown", f"nobody with the address {email} tests {slug}", hint="rampa tester list")
