"""rampa person …"""

from __future__ import annotations

from typing import TYPE_CHECKING

import typer

from rampa.cli.base import home
from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.cli.base.passwords import FIRST, PASSWORD_ENV, PASSWORD_FD, SIGN_IN, ask_password
from rampa.core.errors import NotFound
from rampa.schema.common import Role
from rampa.schema.people import AcceptIn, Invitation, InviteIn, NewPerson, PasswordChange, Person, PersonChange

if TYPE_CHECKING:
    from rampa.client import Client
    from rampa.schema.title_people import TitlePeople

EMAIL = typer.Argument(..., metavar="ADDRESS", help="Their address at the studio.")
AT_TITLE = typer.Option("", "--title", help="At this title alone. [in the studio]")
app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="People of the studio and their roles.")


@app.command("add")
def add(
    email: str = typer.Argument(..., help="Their address at the studio."),
    name: str = typer.Option(..., "--name", help="What others read."),
    role: Role = typer.Option(Role.ENGINEER, "--role", help="What the person may do."),
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
    as_json: bool = JSON,
) -> None:
    """Add a person. Their first password is asked for, or read from RAMPA_NEW_PASSWORD, another variable or a file descriptor."""
    password = ask_password("Their first password", env=password_env, fd=password_fd, new=True, usual=FIRST)
    with signed_in() as client:
        person = client.people.add(NewPerson(name=name, email=email, role=role, password=password))
    if as_json:
        print_json(person)
        return
    out().print(f"{person.name} ({person.email}) is {person.role} now.")


@app.command("invite")
def invite(
    email: str = typer.Argument(..., help="Their address at the studio."),
    name: str = typer.Option(..., "--name", help="What others read."),
    role: Role = typer.Option(Role.ENGINEER, "--role", help="What the person may do."),
    as_json: bool = JSON,
) -> None:
    """Invite a person: they choose their own password with the code that this prints."""
    with signed_in() as client:
        made = client.people.invite(InviteIn(name=name, email=email, role=role))
        at = client.connection.address
    _show_code(made, at, as_json)


def _show_code(made: Invitation, at: str, as_json: bool) -> None:
    if as_json:
        print_json(made)
        return
    err().print(f"Give this to {made.email}; it works once, until {made.expires_at.astimezone():%Y-%m-%d %H:%M}:")
    out().print(f"rampa person accept {made.email} --code {made.code} --address {at}", soft_wrap=True)
    err().print(f"In a browser: {at}/invitation")


@app.command("accept")
def accept(
    email: str = typer.Argument(..., help="Your address at the studio."),
    code: str = typer.Option(..., "--code", help="What you were given."),
    address: str = typer.Option("", "--address", help="The service's address. [the signed-in one]"),
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
) -> None:
    """Choose your password with the code of an invitation or a reset. It is asked for, or read from RAMPA_NEW_PASSWORD."""
    from rampa.client import Client

    password = ask_password("Your new password", env=password_env, fd=password_fd, new=True, usual=FIRST)
    at = address or home.address()
    with Client(at) as client:
        client.people.accept(AcceptIn(email=email, code=code, password=password))
    out().print(f"That is your password now. Sign in: rampa sign-in {at} --email {email}", soft_wrap=True)


@app.command("role")
def role(
    email: str = EMAIL,
    role: Role = typer.Argument(..., help="What the person may do from now on."),
    title: str = AT_TITLE,
    as_json: bool = JSON,
) -> None:
    """Give a person another role, in the studio or at one title; it holds at once, for their sessions and tokens, too."""
    if not title:
        _change(email, PersonChange(role=role), as_json)
        return
    with signed_in() as client:
        found = client.people.set_title_role(title, _find(client, email).id, role)
    _shown_at(found, title, as_json)


@app.command("end-role")
def end_role(
    email: str = EMAIL,
    title: str = typer.Option(..., "--title", help="The title."),
    as_json: bool = JSON,
) -> None:
    """End a person's role at a title: they are there what they are in the studio."""
    with signed_in() as client:
        found = client.people.drop_title_role(title, _find(client, email).id)
    _shown_at(found, title, as_json)


@app.command("disable")
def disable(email: str = EMAIL, yes: bool = YES, as_json: bool = JSON) -> None:
    """Keep a person out: their sessions, tokens and what those made end at once. What they did stays."""
    err().print(f"Sessions and tokens of {email} end, and they cannot sign in; what they did stays.")
    if not confirmed(f"Disable {email}?", yes):
        raise typer.Exit(1)
    _change(email, PersonChange(disabled=True), as_json)


@app.command("enable")
def enable(email: str = EMAIL, as_json: bool = JSON) -> None:
    """Let a disabled person sign in again, with the password that they had."""
    _change(email, PersonChange(disabled=False), as_json)


@app.command("provider")
def provider(email: str = EMAIL, yes: bool = YES, as_json: bool = JSON) -> None:
    """Hand a person over to the studio's own sign-in: their password, sessions and tokens end, and its groups say their role."""
    err().print(
        f"Password, sessions and tokens of {email} end; from then on the studio's own sign-in vouches for them."
    )
    if not confirmed(f"Hand {email} over?", yes):
        raise typer.Exit(1)
    _change(email, PersonChange(by_provider=True), as_json)


@app.command("reset")
def reset(email: str = EMAIL, yes: bool = YES, as_json: bool = JSON) -> None:
    """End a person's password, sessions and tokens, and print the code with which they choose another."""
    err().print(f"Password, sessions and tokens of {email} end.")
    if not confirmed(f"Reset {email}?", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        made = client.people.reset(_find(client, email).id)
        at = client.connection.address
    _show_code(made, at, as_json)


def _shown_at(found: TitlePeople, title: str, as_json: bool) -> None:
    if as_json:
        print_json(found)
        return
    rows = [
        (p.name, p.email, p.in_studio, p.here, f"{p.given_by}, {ago(p.given_at)}" if p.own else "as in the studio")
        for p in found.items
    ]
    table(["name", "~address", "in the studio", f"at {title}", "~given by"], rows)


def _change(email: str, change: PersonChange, as_json: bool) -> None:
    with signed_in() as client:
        person = client.people.change(_find(client, email).id, change)
    if as_json:
        print_json(person)
        return
    out().print(f"{person.name} ({person.email}) is {_standing(person)} now.")


def _find(client: Client, email: str) -> Person:
    wanted = email.strip().casefold()
    found = next((p for p in client.people.all() if p.email.casefold() == wanted), None)
    if found is None:
        raise NotFound("person.unknown", f"there is nobody with the address {email}", hint="See `rampa person list`.")
    return found


def _standing(person: Person) -> str:
    how = "disabled" if person.disabled else "invited" if person.invited else ""
    how = how or ("by the studio's sign-in" if person.by_provider else "")
    return f"{person.role}, {how}" if how else person.role


@app.command("password")
def password(password_env: str = PASSWORD_ENV, password_fd: int = PASSWORD_FD) -> None:
    """Change your own password: the current one is asked for (RAMPA_PASSWORD), then the new one (RAMPA_NEW_PASSWORD).

    Everything that you are signed in with ends, on this machine, too.
    """
    current = ask_password("Your current password", usual=SIGN_IN)
    new = ask_password("Your new password", env=password_env, fd=password_fd, new=True, usual=FIRST)
    with signed_in() as client:
        client.people.change_password(PasswordChange(current=current, new=new))
    out().print("Your password is changed. Sign in again: rampa sign-in")


@app.command("list")
def list_(title: str = AT_TITLE, as_json: bool = JSON) -> None:
    """Everybody in the studio, or what each is at one title."""
    with signed_in() as client:
        if title:
            _shown_at(client.people.at_title(title), title, as_json)
            return
        people = client.people.all()
    if as_json:
        print_json(people)
        return
    table(["name", "address", "role", "since"], [(p.name, p.email, _standing(p), ago(p.created_at)) for p in people])
