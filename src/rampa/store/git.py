"""Running git, with nothing of this machine's own settings, no questions asked, and no protocol that runs programs.

Addresses and names come from people and from repositories: both are hostile. Where git may go is `Reach`'s to say; names never
stand where git would read an option.
"""

from __future__ import annotations

import os
import re
import shlex
import signal
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from rampa.core.errors import Unavailable
from rampa.core.run.git_settings import git_environment
from rampa.store.reach import Way, way_environment

SECONDS = 900
SAID = 600
"""Characters of git's own words that an error repeats."""


@dataclass(frozen=True)
class Credential:
    """What goes with an address: a password for `user`, or an SSH private key. Both empty: none."""

    user: str = ""
    password: str = ""
    key: str = ""


def git(
    *words: str,
    folder: Path | None = None,
    more: dict[str, str] | None = None,
    seconds: float = SECONDS,
    given: bytes | None = None,
) -> bytes:
    """What the command wrote. Raises `Unavailable` with git's own last words; ends the whole group at the time limit."""
    try:
        process = subprocess.Popen(
            ["git", *words],
            cwd=folder,
            env=environment(more),
            stdin=subprocess.PIPE if given is not None else subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            start_new_session=True,
        )
    except OSError as error:
        raise Unavailable(
            "git.missing", "git is not installed on the service's machine", hint="Install git."
        ) from error
    try:
        out, said = process.communicate(given, timeout=seconds)
    except subprocess.TimeoutExpired as error:
        os.killpg(process.pid, signal.SIGKILL)
        process.communicate()
        raise Unavailable("git.time", f"git {words[0]} took longer than {seconds:.0f} s") from error
    if process.returncode != 0:
        raise Unavailable("git.failed", last_words(said) or f"git {words[0]} ended with {process.returncode}")
    return out


def environment(more: dict[str, str] | None) -> dict[str, str]:
    return git_environment(dict(os.environ), more)


def last_words(said: bytes) -> str:
    """The end of what git complained of, on one line, without what people write into addresses."""
    lines = [line.strip() for line in said.decode("utf-8", "replace").splitlines() if line.strip()]
    text = "; ".join(dict.fromkeys(lines[-4:]))[:SAID]
    return re.sub(r"://[^/@\s]*@", "://", text)


@contextmanager
def signed_in(credential: Credential, way: Way) -> Iterator[dict[str, str]]:
    """Variables by which git goes this way and finds the credential; files that it needs are there only meanwhile, for their
    owner only."""
    ssh = "ssh -o BatchMode=yes -o StrictHostKeyChecking=accept-new -o ConnectTimeout=20"
    # A peer that says nothing for half a minute has gone.
    ssh += " -o ServerAliveInterval=15 -o ServerAliveCountMax=2"
    ssh += "".join(f" -o {shlex.quote(option)}" for option in way.ssh)
    with tempfile.TemporaryDirectory(prefix="rampa-git-") as name:
        folder = Path(name)
        more: dict[str, str] = {"GIT_SSH_COMMAND": ssh, **way_environment(way)}
        # A person's own words never stand in an environment that a hook could read: they are given by a script that
        # lives as long as the call.
        if credential.password:
            script = folder / "answer"
            script.write_text(
                '#!/bin/sh\ncase "$1" in U*) printf %s "$RAMPA_USER";; *) printf %s "$RAMPA_PASS";; esac\n'
            )
            script.chmod(0o700)
            more |= {"GIT_ASKPASS": str(script), "RAMPA_USER": credential.user, "RAMPA_PASS": credential.password}
        if credential.key:
            file = folder / "key"
            fd = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(fd, "w") as out:
                out.write(credential.key.rstrip("\n") + "\n")
            more["GIT_SSH_COMMAND"] = f"{ssh} -o IdentitiesOnly=yes -i {file}"
        yield more
