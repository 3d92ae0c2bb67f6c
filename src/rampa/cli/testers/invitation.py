"""rampa invitation …"""

from __future__ import annotations

from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import JSON, LIMIT, TITLE, first_rows, signed_in, the_title
from rampa.cli.base.output import ago, out, print_json, table
from rampa.core.address import normal
from rampa.core.errors import NotFound
from rampa.core.testers.invitation import InvitationState
from rampa.schema.testers import TesterInvitation

if TYPE_CHECKING:
    from rampa.client import Client

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Invitations to test: who answered, send again, withdraw."
)
EMAIL = typer.Argument(..., metavar="ADDRESS", help="Whom it went to.")
GROUP = typer.Option("", "--group", help="Of this group.")


@app.command("list")
def list_(
    title: str = TITLE,
    group: str = GROUP,
    state: str = typer.Option("", "--state", help="open, accepted, declined, withdrawn or expired."),
    search: str = typer.Option("", "--search", help="In names and addresses."),
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Invitations, newest first."""
    with signed_in() as client:
        slug = the_title(client, title)
        found = first_rows(client.testers.invitations, slug, limit=limit, group=group, state=state, search=search)
    if as_json:
        print_json(found)
        return
    rows = [(i.email, i.name, i.group, _state(i), ago(i.created_at), i.invited_by) for i in found]
    empty = "Nobody was invited: rampa tester invite --group GROUP --file people.csv"
    table(["address", "name", "group", "state", "invited", "by"], rows, empty)


@app.command("resend")
def resend(email: str = EMAIL, group: str = GROUP, title: str = TITLE, as_json: bool = JSON) -> None:
    """Send an invitation again, with a new link; the earlier one ends."""
    with signed_in() as client:
        slug = the_title(client, title)
        done = client.testers.resend(slug, _find(client, slug, email, group).id)
    if as_json:
        print_json(done)
        return
    out().print(f"A new letter to {done.email} is on the way; the earlier link is worth nothing.")


@app.command("withdraw")
def withdraw(email: str = EMAIL, group: str = GROUP, title: str = TITLE, as_json: bool = JSON) -> None:
    """Withdraw an invitation that was not answered: its link ends, and its seat is free."""
    with signed_in() as client:
        slug = the_title(client, title)
        done = client.testers.withdraw_invitation(slug, _find(client, slug, email, group).id)
    if as_json:
        print_json(done)
        return
    out().print(f"The invitation of {done.email} is withdrawn.")


def _find(client: Client, slug: str, email: str, group: str) -> TesterInvitation:
    """The newest; one that is open first."""
    said = {"group": group} if group else {}
    alike = [i for i in client.testers.invitations(slug, search=email, **said) if normal(i.email) == normal(email)]
    found = next((i for i in alike if i.state == InvitationState.OPEN), alike[0] if alike else None)
    if found is None:
        raise NotFound("invitation.unknown", f"{email} was not invited to {slug}", hint="rampa invitation list")
    return found


def _state(invitation: TesterInvitation) -> str:
    if invitation.expired:
        return "expired"
    if invitation.unsent:
        return f"open; {invitation.unsent}"
    waits = invitation.state == InvitationState.OPEN and not invitation.sent_at
    return f"{invitation.state}; its letter waits" if waits else invitation.state
