"""rampa person …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, signed_in
from rampa.cli.base.output import ago, out, print_json, table
from rampa.cli.base.passwords import FIRST, PASSWORD_ENV, PASSWORD_FD, ask_password
from rampa.schema.common import Role
from rampa.schema.people import NewPerson

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


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """Everybody in the studio."""
    with signed_in() as client:
        people = client.people.all()
    if as_json:
        print_json(people)
        return
    table(["name", "address", "role", "since"], [(p.name, p.email, p.role, ago(p.created_at)) for p in people])
