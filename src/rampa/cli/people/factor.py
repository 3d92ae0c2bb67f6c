"""rampa second-factor …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, YES, confirmed, signed_in
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.cli.base.passwords import PASSWORD_ENV, PASSWORD_FD, SIGN_IN, ask_code, ask_password
from rampa.core.errors import NotFound

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Your second factor: codes of an app, or passkeys; asked for when you sign in and before acts that matter.",
)


@app.command("add")
def add(password_env: str = PASSWORD_ENV, password_fd: int = PASSWORD_FD, as_json: bool = JSON) -> None:
    """Add codes that change every 30 seconds. Your password is asked for, then a code that your app shows."""
    import segno

    password = ask_password("Your password", env=password_env, fd=password_fd, usual=SIGN_IN)
    with signed_in() as client:
        made = client.people.begin_factor(password)
        err().print("Scan this with an app that keeps such codes, or type the secret into it:")
        err().print(_drawn(segno.make(made.address, error="l")), soft_wrap=True, highlight=False)
        err().print(made.secret, highlight=False)
        spare = client.people.finish_factor(ask_code())
    if as_json:
        print_json(spare)
        return
    err().print("Your second factor counts from now on. Keep these spare codes apart from the phone; each works once:")
    for code in spare.codes:
        out().print(code, highlight=False)


def _drawn(code: object) -> str:
    """Two rows of a QR code in a line of text, light on dark or dark on light, as the terminal is."""
    rows = [list(row) for row in code.matrix_iter(border=2)]  # type: ignore[attr-defined]
    rows += [[0] * len(rows[0])] * (len(rows) % 2)
    signs = {(0, 0): "█", (0, 1): "▀", (1, 0): "▄", (1, 1): " "}
    pairs = zip(rows[::2], rows[1::2], strict=True)
    return "\n".join("".join(signs[bool(a), bool(b)] for a, b in zip(*pair, strict=True)) for pair in pairs)


@app.command("remove")
def remove(yes: bool = YES) -> None:
    """Remove it. It takes a code of it, or a spare one."""
    err().print("From then on your password alone signs you in.")
    if not confirmed("Remove your second factor?", yes):
        raise typer.Exit(1)
    with signed_in() as client:
        client.people.remove_factor()
    out().print("Your second factor is removed.")


@app.command("passkeys")
def passkeys(as_json: bool = JSON) -> None:
    """Your passkeys. They are added in the console, below your name: making one takes a browser."""
    with signed_in() as client:
        found = client.people.passkeys()
    if as_json:
        print_json(found)
        return
    rows = [
        (each.name, ago(each.created_at), ago(each.last_used_at) if each.last_used_at else "never") for each in found
    ]
    table(["name", "added", "used"], rows, empty="No passkeys. Add one in the console, below your name.")


@app.command("forget")
def forget(name: str = typer.Argument(..., help="The passkey's name."), yes: bool = YES) -> None:
    """Remove one of your passkeys, such as that of a lost phone."""
    with signed_in() as client:
        found = [each for each in client.people.passkeys() if each.name == name]
        if not found:
            raise NotFound(
                "passkey.unknown", f"you have no passkey {name!r}", hint="See `rampa second-factor passkeys`."
            )
        err().print("It no longer signs you in.")
        if not confirmed(f"Remove {name}?", yes):
            raise typer.Exit(1)
        for each in found:
            client.people.remove_passkey(each.id)
    out().print(f"{name} is removed.")


@app.command("confirm")
def confirm() -> None:
    """Type a code now: for five minutes this machine's acts that matter need none. The code may come from RAMPA_CODE."""
    with signed_in() as client:
        client.people.confirm(ask_code())
    out().print("Confirmed for five minutes.")
