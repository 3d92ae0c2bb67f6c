"""More of `rampa key`: unlocking, backup with its drill, handing over, the master key."""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.files import read_file, write_private
from rampa.cli.base.output import err, out, print_json
from rampa.cli.base.passwords import PASSPHRASE, PASSWORD_ENV, PASSWORD_FD, ask_password
from rampa.core.errors import Conflict
from rampa.core.quantity import counted
from rampa.schema.signing.identities import UnlockIn

NAME = typer.Argument(..., help="The signing identity's name.")


def add_to(app: typer.Typer) -> None:
    """Puts these commands beside the others of the group."""
    for name, command in (
        ("unlock", unlock),
        ("lock", lock),
        ("export", export),
        ("drill", drill),
        ("hand-over", hand_over),
        ("succession", succession),
        ("master-key", master_key),
    ):
        app.command(name)(command)


def unlock(
    name: str = NAME,
    minutes: int = typer.Option(60, "--minutes", min=1, max=1440, help="For how long; then it is locked again."),
    run: int = typer.Option(0, "--run", help="For this run alone, by its number."),
    title: str = TITLE,
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
    as_json: bool = JSON,
) -> None:
    """Unlock an identity with its passphrase, for a time or for one run. Runs that wait for it go on."""
    phrase = ask_password(f"Passphrase of {name}", env=password_env, fd=password_fd, usual=PASSPHRASE)
    with signed_in() as client:
        whose = the_title(client, title) if run else ""
        key = client.signing.unlock(name, UnlockIn(passphrase=phrase, minutes=minutes, run=run, title=whose))
    if as_json:
        print_json(key)
        return
    for_ = f"for {whose} run {run}" if run else f"until {key.unlocked_until:%Y-%m-%d %H:%M} UTC"
    out().print(f"{name} is unlocked {for_}.")


def lock(name: str = NAME, as_json: bool = JSON) -> None:
    """Lock it at once."""
    with signed_in() as client:
        key = client.signing.lock(name)
    if as_json:
        print_json(key)
        return
    out().print(f"{name} is locked.")


def export(
    name: str = NAME,
    file: Path = typer.Option(None, "--file", help="Where the PKCS#12 file goes; NAME.p12 here by default."),
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
) -> None:
    """Write the identity as PKCS#12 under a new password: for your safe. Owners only."""
    target = file or Path(f"{name}.p12")
    if target.exists():
        raise Conflict("file.exists", "this file exists already, and may hold a key", where=str(target))
    password = ask_password("Password for the PKCS#12 file", env=password_env, fd=password_fd, new=True)
    with signed_in() as client:
        write_private(target, client.signing.export(name, password))
    out().print(
        f"Wrote {target}. Put it in a safe, its password in another, then: rampa key drill {name} --file {target}"
    )


def drill(
    name: str = NAME,
    file: Path = typer.Option(..., "--file", help="The export, from the safe that it was put in."),
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
    as_json: bool = JSON,
) -> None:
    """Prove that a backup can be restored: import it into a scratch vault here, sign a probe, let the service verify it."""
    from rampa.client.signing.drill import restore_drill

    data = read_file(file)
    password = ask_password(f"Password of {file.name}", env=password_env, fd=password_fd)
    with signed_in() as client:
        key = restore_drill(client, name, data, password)
    if as_json:
        print_json(key)
        return
    err().print(f"Restored from {file}, signed a probe with it, and the service verified the signature.")
    out().print(f"{name} is backed up.")


def hand_over(
    name: str = typer.Argument(..., help="The identity that hands over."),
    to: str = typer.Option(..., "--to", help="Its successor, which is in the vault already."),
    yes: bool = YES,
    as_json: bool = JSON,
) -> None:
    """Hand over to a new identity: the old one signs that the new one speaks for it. Owners only."""
    with signed_in() as client:
        old = client.signing.get(name)
        places = ", ".join(f"{b.identifier} on {b.place}" for b in old.bound_to) or "nothing yet"
        err().print(f"{name} is known for: {places}.")
        err().print(f"Devices from level 28 on accept {to} in its place; older ones go on to want {name}: keep both.")
        if not confirmed(f"Hand over from {name} to {to}?", yes):
            raise typer.Exit(1)
        key = client.signing.hand_over(name, to)
    if as_json:
        print_json(key)
        return
    out().print(f'{to} succeeds {name}. Name it in the profile: signing.identity = "{to}"')


def succession(
    name: str = NAME,
    file: Path = typer.Option(..., "--out", help="Where the succession goes, for `rampa bundle sign`."),
) -> None:
    """Write the succession that ends with this identity."""
    with signed_in() as client:
        data = client.signing.succession(name)
    file.write_bytes(data)
    out().print(f"Wrote {file}, {counted(len(data), 'byte')}.")


def master_key(yes: bool = YES, as_json: bool = JSON) -> None:
    """Wrap every secret again with the first of the service's master keys (docs/operating.md). Owners only."""
    if not confirmed("Wrap every secret of the vault with the first master key?", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        done = client.signing.change_master_key()
    if as_json:
        print_json(done)
        return
    out().print(f"{counted(done.wrapped, 'secret')} wrapped again; {done.unchanged} had the first master key already.")
    if done.keys > 1:
        out().print("Now take the older master keys out of the file and reload the services.")
