"""rampa storefront …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.output import ago, err, facts, out, print_json, table
from rampa.core.submission.account import AccountState
from rampa.core.transitions import words
from rampa.schema.storefront_accounts import NewStorefront, StorefrontAccount, StorefrontKind

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Storefronts: the studio's accounts there; connect, look, take away.",
)
NAME = typer.Argument(..., metavar="STOREFRONT", help="The storefront's short name here.")
MARKS = {AccountState.CONNECTED: "✓", AccountState.CONNECTING: "●", AccountState.NARROW: "▲"}


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """The studio's accounts, and how each stands."""
    with signed_in() as client:
        found = client.storefronts.all()
    if as_json:
        print_json(found)
        return
    rows = [(a.name, a.title, ", ".join(a.platforms), _state(a), ago(a.looked_at), a.said) for a in found]
    empty = "No account yet: rampa storefront connect NAME --address https://HOST"
    table(["storefront", "title", "~platforms", "state", "looked at", "~said"], rows, empty)


@app.command("show")
def show(name: str = NAME, as_json: bool = JSON) -> None:
    """One account: what the storefront can do, and what Rampa may there."""
    from rampa.core.errors import NotFound

    with signed_in() as client:
        found = next((a for a in client.storefronts.all() if a.name == name), None)
    if found is None:
        raise NotFound(
            "storefront.unknown", f"no storefront {name!r} is connected", hint="See `rampa storefront list`."
        )
    if as_json:
        print_json(found)
    else:
        _shown(found)


@app.command("connect")
def connect(
    name: str = NAME,
    address: str = typer.Option("", "--address", help="Of a new one that speaks the protocol, as https://HOST."),
    folder: str = typer.Option(
        "", "--by-hand", metavar="TITLE", help="Of a new one that a person works off: its title."
    ),
    as_json: bool = JSON,
) -> None:
    """Connect an account, or let Rampa in once more at one that is there. Prints the address to open in a browser."""
    with signed_in() as client:
        if address or folder:
            kind = StorefrontKind.FOLDER if folder else StorefrontKind.PROTOCOL
            done = client.storefronts.connect(NewStorefront(name=name, kind=kind, address=address, title=folder))
        else:
            done = client.storefronts.connect_again(name)
    if as_json:
        print_json(done)
    elif done.open:
        err().print(
            f"Open this in the browser in which you are signed in to Rampa, and let it in at {done.account.title}:"
        )
        out().print(done.open, soft_wrap=True, highlight=False)
    else:
        out().print(f"{done.account.title} is connected: what is handed over lies in the service's folder.")


@app.command("look")
def look(name: str = NAME, as_json: bool = JSON) -> None:
    """Ask the storefront now what the account may. Exit code 6 where a person must connect it again."""
    with signed_in() as client:
        found = client.storefronts.look(name)
    if as_json:
        print_json(found)
    else:
        _shown(found)
    raise typer.Exit(0 if found.state is AccountState.CONNECTED else 6)


@app.command("disconnect")
def disconnect(name: str = NAME, yes: bool = YES) -> None:
    """Take an account away: its access is revoked at the storefront, and forgotten here."""
    if not confirmed(f"Take away the account {name}? What players have stays; nothing more can be sent there.", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        client.storefronts.disconnect(name)
    out().print(f"The account {name} is gone.")


def _state(found: StorefrontAccount) -> str:
    return f"{MARKS.get(found.state, '■')} {words(found.state)}"


def _shown(found: StorefrontAccount) -> None:
    simulated = " (simulated)" if found.simulated else ""
    rows: list[tuple[str, object]] = [
        ("storefront", f"{found.title}{simulated}"),
        ("state", _state(found)),
        ("said", found.said or "nothing"),
        ("studio there", found.studio or "not known yet"),
        ("may", ", ".join(found.scopes) or "nothing"),
        ("platforms", ", ".join(found.platforms)),
        ("can", ", ".join(words(a) for a in found.abilities) or "take builds, and nothing else"),
        ("connected by", f"{found.connected_by}, {ago(found.connected_at)}" if found.connected_at else "nobody yet"),
        ("note", found.note),
    ]
    facts(rows)
