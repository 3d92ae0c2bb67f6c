"""Signing in and out."""

from __future__ import annotations

import socket
import sys
from typing import TYPE_CHECKING

import typer

from rampa.cli.base import home
from rampa.cli.base.common import JSON, signed_in
from rampa.cli.base.output import err, facts, print_json
from rampa.cli.base.passwords import PASSWORD_ENV, PASSWORD_FD, SIGN_IN, ask_code, ask_password, can_ask_code
from rampa.core.errors import Denied, Invalid

if TYPE_CHECKING:
    from rampa.schema.people import Session

app = typer.Typer(rich_markup_mode=None)


@app.command("sign-in")
def sign_in(
    address: str = typer.Argument("", help="The service's address; by default the one that bin/up started."),
    email: str = typer.Option("", "--email", help="Your address at the studio; asked for when left out."),
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
    browser: bool = typer.Option(
        False, "--browser", help="Allow this machine in a browser: for passkeys and the studio's own sign-in."
    ),
    as_json: bool = JSON,
) -> None:
    """Sign in to a service and keep a token for this machine.

    The password is asked for, or read from RAMPA_PASSWORD, another variable or a file descriptor; it is never an argument.
    A code of your second factor, if you have one, is asked for, or read from RAMPA_CODE.
    """
    from rampa.client.people.sign_in import token_for

    known = home.load()
    address = address or (known.address if known else "")
    if not address:
        raise Invalid("address.missing", "the service's address is not known", hint="Say it: `rampa sign-in http://…`.")
    if browser:
        _by_browser(address, as_json)
        return
    email = email or (known.email if known and not sys.stdin.isatty() else "") or typer.prompt("Address", err=True)
    password = ask_password("Password", env=password_env, fd=password_fd, usual=SIGN_IN)
    name = _machine()
    try:
        session, token = token_for(address, email, password, name)
    except Denied as error:
        # Only who knows the password is asked: nobody else learns that there is a second factor.
        if error.code != "sign-in.factor-needed" or not can_ask_code():
            raise
        session, token = token_for(address, email, password, name, ask_code())
    home.save(home.Credentials(address, token.secret, email))
    _say_signed_in(address, session, as_json)


def _by_browser(address: str, as_json: bool) -> None:
    from rampa.client import Client
    from rampa.client.people.sign_in import ask_browser, token_from_browser

    with Client(address) as client:
        request = ask_browser(client.connection, _machine())
        err().print(f"Open {request.verification_uri_complete}", soft_wrap=True, highlight=False)
        err().print(f"and allow the code {request.user_code}. Waiting; Ctrl-C ends it.", highlight=False)
        token = token_from_browser(client.connection, request)
    with Client(address, token.secret) as client:
        session = client.people.session()
    home.save(home.Credentials(address, token.secret, session.person.email))
    _say_signed_in(address, session, as_json)


def _say_signed_in(address: str, session: Session, as_json: bool) -> None:
    if as_json:
        print_json(session.person)
        return
    typer.echo(f"Signed in at {address} as {session.person.name}, {session.person.role} of {session.studio}.")


def _machine() -> str:
    return f"command line on {socket.gethostname()}"


@app.command("sign-out")
def sign_out() -> None:
    """Revoke this machine's token and forget it."""
    known = home.must_load()
    with signed_in() as client:
        mine = _machine()
        for token in client.people.tokens():
            if token.name == mine:
                client.people.revoke_token(token.id)
    home.save(home.Credentials(known.address, "", known.email))
    typer.echo("Signed out.")


@app.command("whoami")
def whoami(as_json: bool = JSON) -> None:
    """Who is signed in, where."""
    with signed_in() as client:
        session = client.people.session()
        if as_json:
            print_json(session.person)
            return
        person = session.person
        facts(
            [
                ("name", person.name),
                ("address", person.email),
                ("role", person.role),
                ("studio", session.studio + (" (verified)" if session.studio_verified else "")),
                ("service", client.connection.address),
            ]
        )
