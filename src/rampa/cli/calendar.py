"""rampa calendar …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.moments import read_moment
from rampa.cli.base.output import day, err, out, print_json, table
from rampa.core.quantity import counted
from rampa.schema.calendar import EndingOut, NewAgreement

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="The calendar: what of the studio ends when, agreements, a feed for your own.",
)
NAME = typer.Argument(..., metavar="AGREEMENT", help="Its short name, as northquay-terms.")


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """What ends when, the first first: certificates, accounts, ratings, agreements, grants, tokens, roots of trust."""
    with signed_in() as client:
        found = client.calendar.get()
    if as_json:
        print_json(found)
        return
    rows = [(day(e.ends), _left(e), e.words, e.name, e.title, e.mend) for e in found.items]
    table(["ends", ">left", "what", "~name", "title", "~put it off with"], rows, "Nothing of the studio ends.")
    at = ", ".join(str(days) for days in found.reminded_at)
    err().print(f"Owners are reminded by letter at {at} days." + ("" if found.feed else " A feed: rampa calendar feed"))


@app.command("agree")
def agree(
    name: str = NAME,
    partner: str = typer.Option(..., "--with", help="With whom it is."),
    until: str = typer.Option(..., "--until", help="Its end, as 2027-06-30T00:00."),
    note: str = typer.Option("", "--note", help="What it is about."),
    as_json: bool = JSON,
) -> None:
    """Write an agreement down, or another end of one that is there."""
    with signed_in() as client:
        asked = NewAgreement(name=name, partner=partner, ends_at=read_moment(until, ahead=True), note=note)
        found = client.calendar.agree(asked)
    if as_json:
        print_json(found)
    else:
        out().print(f"{name} with {partner} ends {day(asked.ends_at)}.")


@app.command("drop")
def drop(name: str = NAME, yes: bool = YES) -> None:
    """Remove an agreement from the calendar."""
    if not confirmed(f"Remove the agreement {name} from the calendar?", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        client.calendar.drop_agreement(name)
    out().print(f"The agreement {name} is gone.")


@app.command("feed")
def feed(
    end: bool = typer.Option(False, "--end", help="End the address that you have."),
    yes: bool = YES,
) -> None:
    """Make an address for your own calendar program (RFC 5545). Shown once; an earlier one of yours ends."""
    with signed_in() as client:
        if end:
            client.calendar.end_feed()
            out().print("Your feed is ended.")
            return
        if client.calendar.get().feed and not confirmed("Make a new address? The one that you have ends.", yes):
            raise typer.Exit(1)
        out().print(client.calendar.make_feed(), soft_wrap=True, highlight=False)
    err().print("Whoever has this address reads the calendar.")


def _left(found: EndingOut) -> str:
    if found.over:
        return "■ over"
    mark = "▲ " if found.days <= 30 else ""
    return mark + counted(found.days, "day")
