"""rampa key …"""

from __future__ import annotations

import base64
import datetime as dt
from pathlib import Path

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, signed_in
from rampa.cli.base.files import read_file, write_private
from rampa.cli.base.output import ago, err, facts, out, print_json, table
from rampa.cli.base.passwords import PASSPHRASE, PASSWORD_ENV, PASSWORD_FD, ask_password
from rampa.cli.signing import care
from rampa.core.errors import Conflict, Invalid
from rampa.core.quantity import counted
from rampa.schema.signing.identities import ConnectKey, Key, KeyPolicyWire, NewKey

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Signing identities.")
LOCKED = typer.Option(
    False, "--passphrase", help="Lock it with a passphrase as well (asked for; RAMPA_KEY_PASSPHRASE)."
)


@app.command("make")
def make(
    name: str = typer.Argument(..., help="What profiles name it by, for example quillback-2026."),
    kind: str = typer.Option("ec-p256", "--kind", help="ec-p256, ec-p384, rsa-2048, rsa-3072 or rsa-4096."),
    years: int = typer.Option(30, "--years", help="How long its certificate is valid; storefronts want 25 or more."),
    file: Path = typer.Option(None, "--file", help="Where your own PKCS#12 copy goes; NAME.p12 here by default."),
    passphrase: bool = LOCKED,
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
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
        studio = client.people.session().studio
        password = ask_password("Password for the PKCS#12 file", env=password_env, fd=password_fd, new=True)
        phrase = _passphrase(passphrase)
        made = identity.make(name, studio, kind, dt.datetime.now(dt.UTC), years)
        data = identity.to_pkcs12(made, name, password)
        write_private(target, data)
        try:
            sent = base64.b64encode(data).decode()
            key = client.signing.add(
                NewKey(name=name, pkcs12=sent, password=password, passphrase=phrase, origin="made")
            )
        except BaseException:
            target.unlink(missing_ok=True)
            raise
    if as_json:
        print_json(key)
        return
    _show(key)
    err().print(
        f"Your copy is {target}. Put it in a safe, its password in another, then prove that it can be restored:"
    )
    err().print(f"rampa key drill {name} --file {target}", style="bold")


@app.command("import")
def import_(
    name: str = typer.Argument(..., help="What profiles will name it by."),
    file: Path = typer.Option(
        ..., "--file", help="PKCS#12 (a Java keystore in that form, too), or PKCS#8 in PEM or DER."
    ),
    certificate: Path = typer.Option(None, "--certificate", help="Beside a PKCS#8 key: its certificate, PEM or DER."),
    alias: str = typer.Option("", "--alias", help="Which key, where the keystore holds several."),
    passphrase: bool = LOCKED,
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
    as_json: bool = JSON,
) -> None:
    """Bring in a signing identity that you already have."""
    from rampa.core.signing import keystore

    data = read_file(file)
    plain = certificate is not None and b"ENCRYPTED" not in data and b"-----BEGIN" in data
    password = "" if plain else ask_password(f"Password of {file.name}", env=password_env, fd=password_fd)
    # Looked at here first: a wrong password is said before anything travels.
    if certificate:
        beside = read_file(certificate)
        keystore.read_pkcs8(data, beside, password)
        sent = NewKey(name=name, pkcs8=_text(data), certificate=_text(beside), password=password)
    else:
        keystore.read_pkcs12(data, password, alias)
        sent = NewKey(name=name, pkcs12=_text(data), password=password, alias=alias)
    phrase = _passphrase(passphrase)
    with signed_in() as client:
        key = client.signing.add(sent.model_copy(update={"passphrase": phrase}))
    if as_json:
        print_json(key)
        return
    _show(key)


@app.command("connect")
def connect(
    name: str = typer.Argument(..., help="What profiles will name it by."),
    label: str = typer.Option(..., "--label", help="What the key module calls the key."),
    certificate: Path = typer.Option(None, "--certificate", help="Its certificate (PEM), where the module has none."),
    as_json: bool = JSON,
) -> None:
    """Use a key that the service's key module holds (PKCS#11). It signs there, and never leaves it."""
    beside = read_file(certificate).decode("ascii", "replace") if certificate else ""
    with signed_in() as client:
        key = client.signing.connect(ConnectKey(name=name, label=label, certificate=beside))
    if as_json:
        print_json(key)
        return
    _show(key)


@app.command("list")
def list_(as_json: bool = JSON) -> None:
    """All signing identities: whether they are backed up, locked, near their end."""
    with signed_in() as client:
        keys = client.signing.all()
    if as_json:
        print_json(keys)
        return
    columns = ["name", "kind", "certificate SHA-256", "valid until", "backed up", "lock", ">used", "last"]
    table(columns, [_row(k) for k in keys], "There is no signing identity yet. Make one: rampa key make NAME")
    for key in keys:
        for warning in key.warnings:
            out().print(Text(f"▲ {key.name}: {warning}", style="yellow"))


def _row(k: Key) -> tuple[object, ...]:
    backed = ago(k.backed_at) if k.backed_at else Text("▲ not backed up", style="yellow")
    if k.outside:
        backed = "by the key module"
    return (
        k.name,
        k.kind,
        f"{k.fingerprint[:16]}…",
        f"{k.not_after:%Y-%m-%d}",
        backed,
        _lock(k),
        k.used,
        ago(k.last_used_at),
    )


def _lock(k: Key) -> str:
    if k.outside:
        return "in the key module"
    if not k.protected:
        return "no passphrase"
    if k.unlocked_until:
        return f"unlocked until {k.unlocked_until:%H:%M} UTC"
    return f"for run {', '.join(map(str, k.unlocked_runs))}" if k.unlocked_runs else "locked"


@app.command("show")
def show(
    name: str = typer.Argument(..., help="The signing identity."),
    certificate: bool = typer.Option(False, "--certificate", help="Print the certificate (PEM), too."),
    as_json: bool = JSON,
) -> None:
    """One signing identity: validity, backup, where it is used, what its loss would orphan, its last uses."""
    with signed_in() as client:
        key = client.signing.get(name)
        uses = [] if as_json else client.signing.uses(name)
    if as_json:
        print_json(key)
        return
    _show(key)
    rows = [(ago(u.at), u.act.removeprefix("key."), u.who, u.title, _detail(u.detail)) for u in uses[:12]]
    out().print()
    table(["when", "act", "who", "title", "~what"], rows, "It was never used.")
    if certificate:
        typer.echo(key.certificate)


def _detail(detail: dict[str, str]) -> str:
    shown = {k: v[:16] + "…" if len(v) == 64 else v for k, v in detail.items() if v}
    return ", ".join(f"{k.replace('_', ' ')} {v}" for k, v in shown.items())


def _show(key: Key) -> None:
    since = f"from {key.not_before:%Y-%m-%d} " if key.not_before else ""
    backed = f"drill passed {ago(key.backed_at)} by {key.backed_by}" if key.backed_at else "no"
    if key.outside:
        backed = f"by the key module's own means; it is called {key.outside} there"
    rows: list[tuple[str, object]] = [
        ("name", key.name),
        ("kind", f"{key.kind}, {key.origin}"),
        ("subject", key.subject),
        ("SHA-256", key.fingerprint),
        ("valid", f"{since}until {key.not_after:%Y-%m-%d}"),
        ("lock", _lock(key)),
        ("backed up", backed),
        ("used", f"{key.used} times, last {ago(key.last_used_at)}" if key.used else "never"),
    ]
    if key.titles:
        rows.append(("signs", ", ".join(key.titles)))
    rows += [("signs only", said) for said in _policy(key.policy)]
    for bound in key.bound_to:
        rows.append(("known to", f"{bound.place} as {bound.identifier}, since {bound.build}"))
    if key.succession:
        rows.append(("succession", " -> ".join(f"{f[:16]}…" for f in key.succession)))
    facts(rows)
    for warning in key.warnings:
        out().print(Text(f"▲ {warning}", style="yellow"))


def _text(data: bytes) -> str:
    return base64.b64encode(data).decode()


def _passphrase(wanted: bool) -> str:
    if not wanted:
        return ""
    phrase = ask_password("Passphrase that unlocks it", new=True, usual=PASSPHRASE)
    if not phrase:
        raise Invalid("key.passphrase", "the passphrase is empty")
    return phrase


care.add_to(app)


LIST = "(several times) Only these; `-` for all."


@app.command("policy")
def policy(
    name: str = typer.Argument(..., help="The signing identity."),
    title: list[str] = typer.Option(None, "--title", help=f"Titles. {LIST}"),
    identifier: list[str] = typer.Option(None, "--identifier", help=f"Identifiers. {LIST}"),
    purpose: list[str] = typer.Option(None, "--purpose", help=f"development, testing, release. {LIST}"),
    branch: list[str] = typer.Option(None, "--branch", help=f"Patterns such as 'release/*' or 'tag/v*'. {LIST}"),
    approvals: int = typer.Option(-1, "--approvals", help="So many others approve a release's run first."),
    per_day: int = typer.Option(-1, "--per-day", help="Signatures in 24 hours; 0 is any number."),
    as_json: bool = JSON,
) -> None:
    """What an identity may sign; with options, change it. What is not said stays. An owner's act."""
    with signed_in() as client:
        now = client.signing.get(name).policy
        asked = KeyPolicyWire(
            titles=_chosen(title, now.titles),
            identifiers=_chosen(identifier, now.identifiers),
            purposes=_chosen(purpose, now.purposes),
            branches=_chosen(branch, now.branches),
            approvals=now.approvals if approvals < 0 else approvals,
            per_day=now.per_day if per_day < 0 else per_day,
        )
        if asked != now:
            now = client.signing.set_policy(name, asked).policy
    if as_json:
        print_json(now)
        return
    said = _policy(now)
    out().print(f"{name} signs whatever names it." if not said else f"{name} signs only:")
    for line in said:
        out().print(f"  {line}")


def _chosen(given: list[str] | None, before: list[str]) -> list[str]:
    return [g for g in given if g != "-"] if given else before


def _policy(policy: KeyPolicyWire) -> list[str]:
    lists = (("titles", policy.titles), ("identifiers", policy.identifiers), ("purposes", policy.purposes))
    said = [f"{what} {', '.join(names)}" for what, names in (*lists, ("branches", policy.branches)) if names]
    if policy.approvals:
        said.append(f"releases that {counted(policy.approvals, 'other person', 'other people')} approved")
    if policy.per_day:
        said.append(f"{policy.per_day} times in 24 hours")
    return said
