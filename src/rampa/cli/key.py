"""rampa key …"""

from __future__ import annotations

import base64
import datetime as dt
import os
from pathlib import Path

import typer

from rampa.cli.common import JSON, signed_in
from rampa.cli.output import ago, facts, out, print_json, table
from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.schema.keys import Key, NewKey

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Signing identities.")


@app.command("make")
def make(
    name: str = typer.Argument(..., help="What profiles name it by, for example quillback-2026."),
    kind: str = typer.Option("ec-p256", "--kind", help="ec-p256, ec-p384, rsa-3072 or rsa-4096."),
    years: int = typer.Option(30, "--years", help="How long its certificate is valid."),
    file: Path = typer.Option(None, "--file", help="Where your own PKCS#12 copy goes; NAME.p12 here by default."),
    as_json: bool = JSON,
) -> None:
    """Make a signing identity: a PKCS#12 file for your safe, and a sealed copy in the service.

    The file's password is asked for, or read from RAMPA_KEY_PASSWORD; it is never an argument.
    """
    from rampa.core.signing import identity

    target = file or Path(f"{name}.p12")
    if target.exists():
        raise Conflict("file.exists", "this file exists already, and may hold a key", where=str(target))
    with signed_in() as client:
        studio = client.session().studio
        password = _password(new=True)
        made = identity.make(name, studio, kind, dt.datetime.now(dt.UTC), years)
        data = identity.to_pkcs12(made, name, password)
        _write_private(target, data)
        try:
            key = client.add_key(NewKey(name=name, pkcs12=base64.b64encode(data).decode(), password=password))
        except BaseException:
            target.unlink(missing_ok=True)
            raise
    if as_json:
        print_json(key)
        return
    _show(key)
    out().print(f"Your copy is {target}. Keep it and its password in a safe: without them the title cannot be")
    out().print("updated for ever, should the service's vault be lost.")


@app.command("import")
def import_(
    name: str = typer.Argument(..., help="What profiles will name it by."),
    file: Path = typer.Option(..., "--file", help="A PKCS#12 file with one private key and its certificate."),
    as_json: bool = JSON,
) -> None:
    """Keep a signing identity that you have already."""
    try:
        data = file.read_bytes()
    except OSError as error:
        raise NotFound("file.missing", f"the file cannot be read ({error.strerror})", where=str(file)) from error
    password = _password(new=False)
    with signed_in() as client:
        key = client.add_key(NewKey(name=name, pkcs12=base64.b64encode(data).decode(), password=password))
    if as_json:
        print_json(key)
        return
    _show(key)


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """All signing identities."""
    with signed_in() as client:
        keys = client.keys()
    if as_json:
        print_json(keys)
        return
    rows = [
        (k.name, k.kind, k.fingerprint[:16] + "…", f"{k.not_after:%Y-%m-%d}", k.used, ago(k.created_at)) for k in keys
    ]
    columns = ["name", "kind", "certificate SHA-256", "valid until", ">signatures", "added"]
    table(columns, rows, "There is no signing identity yet. Make one: rampa key make NAME")


@app.command("show")
def show(name: str = typer.Argument(...), as_json: bool = JSON) -> None:
    """One signing identity with its certificate."""
    with signed_in() as client:
        key = client.key(name)
    if as_json:
        print_json(key)
        return
    _show(key)
    typer.echo(key.certificate)


def _show(key: Key) -> None:
    facts(
        [
            ("name", key.name),
            ("kind", key.kind),
            ("subject", key.subject),
            ("SHA-256", key.fingerprint),
            ("valid until", f"{key.not_after:%Y-%m-%d}"),
        ]
    )


def _password(new: bool) -> str:
    given = os.environ.get("RAMPA_KEY_PASSWORD")
    if given:
        return given
    text = "Password for the PKCS#12 file"
    password: str = typer.prompt(text, hide_input=True, confirmation_prompt=new, err=True)
    return password


def _write_private(target: Path, data: bytes) -> None:
    try:
        fd = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except OSError as error:
        raise Invalid(
            "file.unwritable", f"this file cannot be written ({error.strerror})", where=str(target)
        ) from error
    with os.fdopen(fd, "wb") as stream:
        stream.write(data)
