"""rampa trust ceremony: the steps by which people make a title's root, and each of them."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import typer

from rampa.cli.base.common import TITLE, YES, confirmed, signed_in, the_title
from rampa.cli.base.output import day, err, out
from rampa.cli.base.passwords import PASSPHRASE, PASSWORD_ENV, PASSWORD_FD, ask_password
from rampa.core.errors import Conflict, Invalid
from rampa.core.files import replace_file
from rampa.core.quantity import counted
from rampa.schema.trust import RootDraftIn, RootHolder
from rampa.system import RANDOM

app = typer.Typer(
    rich_markup_mode=None,
    help="Make a title's root, or the next one: people's keys, offline; signed by enough of them.",
    invoke_without_command=True,
)
DRAFT = typer.Argument(..., metavar="DRAFT", help="The draft's file.")
REHEARSAL = typer.Option(None, "--rehearsal", metavar="FOLDER", help="Rehearse in a folder: no service, nothing real.")
STEPS = """\
{state}

1. Choose who holds the keys, three people or more, and how many of them must sign: 2 of 3, 3 of 5.
   Whoever has that many of the keys can send anything to every player: no one person should.
2. Each holder makes a key, on a machine without a network, and keeps it on two sticks in two places:
       rampa trust ceremony key vendla.key --holder Vendla
   vendla.public may be given to anybody; vendla.key and its passphrase to nobody.
3. The owner drafts the root with the holders' public halves:
       rampa trust ceremony draft root.draft --holder-key vendla.public --holder-key … --threshold 2
   For the next root with the same holders, leave both out. Where the service's keys are gone: --new-keys.
4. Each holder reads the draft aloud to the others, on the machine without a network, and signs it:
       rampa trust ceremony look root.draft
       rampa trust ceremony sign root.draft --key vendla.key
5. The owner publishes it:
       rampa trust ceremony publish root.draft
6. Update a device, and look at `rampa trust show`. Note the day on which the root ends: it is half a year's
   notice before, and devices take nothing after it.

Rehearse it first, all of it, with other keys: add --rehearsal FOLDER to draft and publish."""


@app.callback()
def steps(ctx: typer.Context, title: str = TITLE) -> None:
    """Without a command: its steps, for people."""
    if ctx.invoked_subcommand is None:
        out().print(STEPS.format(state=_state(title)), highlight=False)


def _state(title: str) -> str:
    with signed_in() as client:
        found = client.delivery.trust(the_title(client, title))
    if found.root is None:
        return f"{found.title} has no root yet: its devices follow the service's own offers, and need it."
    root = found.root
    return (
        f"{found.title} has root {root.version}, held by {', '.join(root.holders)}; any {root.threshold} of them sign the"
        f" next. It ends {day(root.expires_at)}."
    )


@app.command("key")
def key(
    file: Path = typer.Argument(..., help="A new file for the key; its public half goes beside it."),
    holder: str = typer.Option(..., "--holder", help="Whose key it is, as the others know them."),
    passphrase_env: str = PASSWORD_ENV,
    passphrase_fd: int = PASSWORD_FD,
) -> None:
    """Make a holder's key, on a machine without a network."""
    from rampa.core.trust import keys

    public = file.with_suffix(".public")
    for path in (file, public):
        if path.exists():
            raise Conflict("trust.file", "there is a file of this name already", where=str(path))
    said = f"Passphrase for {holder}'s key, 10 characters or more"
    passphrase = ask_password(said, env=passphrase_env, fd=passphrase_fd, new=True, usual=PASSPHRASE)
    made = keys.make_holder_key(holder, passphrase, RANDOM)
    _write(file, made, 0o600)
    _write(public, keys.public_part(made), 0o644)
    out().print(f"{file} holds {holder}'s key: keep it on two sticks, in two places, and off every network.")
    out().print(f"{public} is its public half: give it to who drafts the root.")


@app.command("draft")
def draft(
    file: Path = DRAFT,
    holder_key: list[Path] = typer.Option(
        None, "--holder-key", help="A holder's public half; those of the root before without any."
    ),
    threshold: int = typer.Option(0, "--threshold", min=0, help="How many holders must sign. [as before]"),
    new_keys: bool = typer.Option(False, "--new-keys", help="Have the service make itself new keys."),
    rehearsal: Path | None = REHEARSAL,
    title: str = TITLE,
) -> None:
    """Draft the root, or the next one. Nothing changes by it."""
    from rampa.core.trust.keys import read_holder_key
    from rampa.standin.ceremony import RehearsalRoom

    holders = [read_holder_key(_read(path)) for path in holder_key or []]
    if rehearsal is not None:
        now = dt.datetime.now(dt.UTC)
        made = RehearsalRoom(rehearsal).draft(holders, threshold, now, new_keys=new_keys)
    else:
        asked = [RootHolder(holder=h.holder, public=h.public.hex()) for h in holders]
        with signed_in() as client:
            slug = the_title(client, title)
            made = client.delivery.draft_root(slug, RootDraftIn(holders=asked, threshold=threshold, new_keys=new_keys))
    _write(file, made, 0o644)
    _show(made)
    out().print(f"Next, each holder: rampa trust ceremony sign {file} --key KEY")


@app.command("look")
def look(file: Path = DRAFT) -> None:
    """What a draft changes, who signed it, and who is still wanted. Needs no network."""
    _show(_read(file))


@app.command("sign")
def sign(
    file: Path = DRAFT,
    key: Path = typer.Option(..., "--key", help="The holder's key file."),
    passphrase_env: str = PASSWORD_ENV,
    passphrase_fd: int = PASSWORD_FD,
    yes: bool = YES,
) -> None:
    """Sign a draft with a holder's key, on a machine without a network."""
    from rampa.core.trust import keys, root

    made = root.read_draft(_read(file))
    who = keys.read_holder_key(_read(key)).holder
    for said in root.changes(made):
        err().print(said)
    if not confirmed(f"Sign this as {who}?", yes):
        raise typer.Exit(1)
    passphrase = ask_password(f"Passphrase of {who}'s key", env=passphrase_env, fd=passphrase_fd, usual=PASSPHRASE)
    signed, holder = root.sign_draft(made, keys.unlock_holder_key(_read(key), passphrase))
    _write(file, root.write_draft(signed), 0o644)
    out().print(f"{holder} signed.")
    _quorums(root.write_draft(signed))


@app.command("publish")
def publish(file: Path = DRAFT, rehearsal: Path | None = REHEARSAL, title: str = TITLE, yes: bool = YES) -> None:
    """Publish a draft that enough holders signed: from now on devices follow it."""
    from rampa.standin.ceremony import RehearsalRoom

    made = _read(file)
    _show(made)
    if rehearsal is not None:
        for said in RehearsalRoom(rehearsal).publish(made, dt.datetime.now(dt.UTC)):
            out().print(said)
        return
    if not confirmed("Publish it? Devices that follow it go back to no root before.", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        done = client.delivery.publish_root(the_title(client, title), made)
    assert done.root is not None
    out().print(f"Root {done.root.version} of {done.title} is published. See: rampa trust show")


def _show(data: bytes) -> None:
    from rampa.core.trust import root

    made = root.read_draft(data)
    facts = root.facts_of(made.root)
    out().print(f"Root {facts.version} of {made.title}")
    for said in root.changes(made):
        out().print(f"  {said}")
    _quorums(data)


def _quorums(data: bytes) -> None:
    from rampa.core.trust import root

    for each in root.quorums(root.read_draft(data)):
        whose = "The new root" if each.of == "new" else "The root before"
        signed = f"signed by {', '.join(each.signed)}" if each.signed else "signed by nobody"
        wanted = f"{counted(each.missing, 'signature')} wanted, of {', '.join(each.unsigned)}"
        out().print(f"{whose}: {signed}; " + (wanted if each.missing else "that is enough") + ".")


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise Invalid("trust.file", f"the file cannot be read ({error.strerror})", where=str(path)) from error


def _write(path: Path, data: bytes, mode: int) -> None:
    try:
        replace_file(path, data, mode)
    except OSError as error:
        raise Invalid("trust.file", f"the file cannot be written ({error.strerror})", where=str(path)) from error
