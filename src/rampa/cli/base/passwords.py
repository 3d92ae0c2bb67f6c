"""Passwords: from a prompt, a variable of the environment or a file descriptor; never from an argument, never in a log."""

from __future__ import annotations

import os
import sys

import typer

from rampa.core.errors import Invalid

PASSWORD_ENV = typer.Option("", "--password-env", metavar="VAR", help="The variable that holds the password.")
PASSWORD_FD = typer.Option(-1, "--password-fd", metavar="N", help="A file descriptor that the password is read from.")
USUAL, PASSPHRASE = "RAMPA_KEY_PASSWORD", "RAMPA_KEY_PASSPHRASE"
SIGN_IN, FIRST = "RAMPA_PASSWORD", "RAMPA_NEW_PASSWORD"
CODE = "RAMPA_CODE"
LONGEST = 1000


def ask_password(question: str, *, env: str = "", fd: int = -1, new: bool = False, usual: str = USUAL) -> str:
    """The password. `new`: it is asked for twice. `usual` is the variable that is read when none is named."""
    if env:
        if env not in os.environ:
            raise Invalid("password.env", f"the variable {env} is not set", where="--password-env")
        return os.environ[env]
    if fd >= 0:
        return _from_descriptor(fd)
    if os.environ.get(usual):
        return os.environ[usual]
    if not sys.stdin.isatty():
        hint = f"Set {usual}, or name another variable with --password-env."
        raise Invalid("password.not-set", "there is no terminal to ask for the password", hint=hint)
    password: str = typer.prompt(question, hide_input=True, confirmation_prompt=new, err=True)
    return password


def can_ask_code() -> bool:
    return bool(os.environ.get(CODE)) or sys.stdin.isatty()


def ask_code() -> str:
    """A code of the second factor, from the variable or the terminal."""
    said: str = os.environ.get(CODE) or typer.prompt("Code of your second factor", err=True)
    return said


def _from_descriptor(fd: int) -> str:
    try:
        with os.fdopen(fd, "rb", closefd=False) as stream:
            # One line: the rest of the descriptor is the caller's.
            return stream.readline(LONGEST).rstrip(b"\r\n").decode()
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid(
            "password.fd", f"no password can be read from file descriptor {fd}", where="--password-fd"
        ) from error
