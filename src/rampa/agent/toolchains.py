"""Toolchains of this machine: small files, `NAME.toolchain.toml`, say how each is asked for its version and licences.

name = "lantern-export"
command = ["python3", "{here}/lantern_export.py"]
version = ["--version"]          # what it prints holds the version
licences = ["licence", "list"]   # prints the licences accepted here, one a line; may be left out
platforms = ["linux", "windows"] # what it exports for; may be left out: all
readable = ["/srv/lantern"]      # folders of this machine that it reads, for the sandbox; its own is among them
"""

from __future__ import annotations

import os
import re
import threading
import tomllib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from rampa.agent.isolation import Bare, Place
from rampa.agent.process import Limits, run_program
from rampa.core.errors import Invalid
from rampa.core.run.abilities import Toolchain

ENDING = ".toolchain.toml"
VERSION = re.compile(r"\d+(?:\.\d+)+(?:[a-z0-9.+-]*[a-z0-9])?", re.IGNORECASE)
SECONDS = 20
OUTPUT = 1 << 20
KEYS = {"name", "command", "version", "licences", "platforms", "readable"}


@dataclass(frozen=True)
class Found:
    """A toolchain, the command that starts it, and the folders that it reads."""

    toolchain: Toolchain
    command: tuple[str, ...]
    readable: tuple[Path, ...] = ()


Places = Callable[[Sequence[Path]], Place]
"""Folders that a toolchain reads -> where it runs."""


def find_toolchains(folders: Iterable[Path], places: Places = lambda _: Bare()) -> list[Found]:
    """All that answer. One that is described but does not answer is left out. Raises `Invalid` for a bad description."""
    files = [f for folder in folders for f in sorted(folder.glob(f"*{ENDING}"))]
    return [found for f in files for found in [_ask(f, places)] if found]


def _ask(file: Path, places: Places) -> Found | None:
    said = _read(file)
    here = str(file.parent.resolve())
    command = tuple(w.replace("{here}", here) for w in said["command"])
    folders = (file.parent.resolve(), *(Path(p.replace("{here}", here)) for p in said.get("readable", ())))
    # A program that is not ours, even where it only says its version.
    place = places(folders)
    shown = _run([*command, *said.get("version", ["--version"])], place)
    version = VERSION.search(shown) if shown is not None else None
    if version is None:
        return None
    listed = _run([*command, *said["licences"]], place) if said.get("licences") else ""
    licences = tuple(line.strip() for line in (listed or "").splitlines() if line.strip())
    return Found(Toolchain(said["name"], version[0], licences, tuple(said.get("platforms", ()))), command, folders)


def _read(file: Path) -> dict[str, Any]:
    try:
        said = tomllib.loads(file.read_text())
    except (OSError, ValueError) as error:
        raise Invalid("toolchain.file", f"this description cannot be read: {error}", where=str(file)) from error
    unknown = sorted(set(said) - KEYS)
    texts = all(isinstance(w, str) for key in KEYS - {"name"} for w in said.get(key, []))
    if unknown or not isinstance(said.get("name"), str) or not said.get("command") or not texts:
        hint = f"It holds {', '.join(sorted(KEYS))}; name and command are needed."
        raise Invalid("toolchain.file", "this description is not understood", where=str(file), hint=hint)
    return said


def _run(words: list[str], place: Place) -> str | None:
    """Standard output. A program that hangs when it is asked for its version must not hold up the agent."""
    said: list[bytes] = []
    quiet = ["sh", "-c", 'exec "$@" 2>/dev/null', "sh", *words]
    path = {"PATH": os.environ.get("PATH", os.defpath)}
    ended = run_program(quiet, Path("/"), path, Limits(SECONDS, output=OUTPUT), said.append, threading.Event(), place)
    return b"".join(said).decode("utf-8", "replace") if ended.well else None
