"""The self-test of a desktop bundle: unpacked into an empty folder, its launch entry is started with `--self-test`.

What is missing beside the program shows here and not at a player's. Nothing of this machine's environment reaches it but a path.
"""

from __future__ import annotations

import os
import platform
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from rampa.agent.isolation import Bare, NotStarted, Place
from rampa.agent.work_folder import give
from rampa.core.binaries.elf import read_elf
from rampa.core.binaries.read_at import of_bytes
from rampa.core.bundle.desktop import unpack
from rampa.core.bundle.sources import FileBytes
from rampa.core.errors import NotFound
from rampa.core.health.crash import CrashReport, left_behind

HEAD = 4096
SECONDS = 60.0
BARE = Bare()
NOT_STARTED = {
    "missing": "what it is run with is not on this machine",
    "closed": "it is not executable",
    "isolation": "its sandbox could not be made",
}
SAID = 4000
SIGNALS = {int(s): s.name for s in signal.Signals}
SYSTEMS = {"linux": "linux", "darwin": "macos", "win32": "windows"}
MACHINES = {"amd64": "x86_64", "aarch64": "arm64"}


@dataclass(frozen=True)
class SelfTest:
    """`ran` False: `why` says why it cannot run here. `passed` when it ended with 0. `said` is the end of its output."""

    ran: bool
    passed: bool
    why: str
    said: str
    seconds: float
    crash: CrashReport | None = None
    """What the program left behind, where it crashed."""


def self_test(
    bundle: Path,
    launch: str,
    target: str = "",
    seconds: float = SECONDS,
    place: Place = BARE,
    scratch: Path | None = None,
    form: str = "",
) -> SelfTest:
    """`launch` is the launch entry from the top folder; `target` the platform, empty: this machine's. It runs in `place`,
    unpacked into a folder below `scratch`, and is told that the device is of the class `form`. Raises `NotFound`."""
    here = SYSTEMS.get(sys.platform, sys.platform)
    if target and target != here:
        return SelfTest(False, False, f"a {target} program does not run on this machine ({here})", "", 0.0)
    with tempfile.TemporaryDirectory(prefix="rampa-", dir=scratch) as made, FileBytes(bundle) as source:
        folder = Path(made) / "empty"
        folder.mkdir()
        unpack(source, folder)
        tops = sorted(p for p in folder.iterdir())
        if len(tops) != 1 or not tops[0].is_dir():
            raise NotFound("bundle.top", f"the bundle has {len(tops)} top entries, not one folder", where=str(bundle))
        program = tops[0] / launch
        if not program.is_file() or not program.resolve().is_relative_to(folder.resolve()):
            hint = "Say the path from the top folder: --launch bin/NAME."
            raise NotFound("launch.missing", f"the bundle holds no launch entry {launch}", where=launch, hint=hint)
        why = why_not(program)
        if why:
            return SelfTest(False, False, why, "", 0.0)
        (Path(made) / "home").mkdir()
        if place.user is not None:
            give(Path(made), place.user)
        return run_program(program, tops[0], Path(made), seconds, place, form)


def why_not(program: Path) -> str:
    """Why this machine cannot run it; empty where it may."""
    if not os.access(program, os.X_OK):
        return ""  # starting it says so better than we could
    with program.open("rb") as stream:
        elf = read_elf(of_bytes(stream.read(HEAD)))
    machine = MACHINES.get(platform.machine().lower(), platform.machine().lower())
    if elf and elf.machine != machine:
        return f"the program is for {elf.machine or 'another processor'}, and this machine is {machine}"
    return ""


def run_program(
    program: Path, top: Path, scratch: Path, seconds: float, place: Place, form: str, more: Mapping[str, str] = {}
) -> SelfTest:
    """Started with `--self-test` below `top`; `scratch` holds its home, `more` goes into its environment."""
    left = scratch / "home" / "crash.json"
    environment = {"PATH": "/usr/bin:/bin", "HOME": str(scratch / "home"), "TMPDIR": str(scratch), "LANG": "C.UTF-8"}
    environment |= {"RAMPA_CRASH_REPORT": str(left), **({"RAMPA_DEVICE_CLASS": form} if form else {}), **more}
    started = time.monotonic()
    try:
        with place.start([str(program), "--self-test"], top, environment) as child:
            try:
                said, _ = child.communicate(timeout=seconds)
                why = _why(child.returncode)
            except subprocess.TimeoutExpired:
                os.killpg(child.pid, signal.SIGKILL)
                said, _ = child.communicate()
                why = f"it did not end within {seconds:.0f} s"
    except NotStarted as error:
        return SelfTest(
            True, False, f"it could not be started: {NOT_STARTED[error.why]}", "", time.monotonic() - started
        )
    crash = left_behind(left) if why else None
    return SelfTest(True, not why, why, said[-SAID:].decode("utf-8", "replace"), time.monotonic() - started, crash)


def _why(code: int) -> str:
    """Empty for an end that is none. A program in a sandbox that a signal ended is told as 128 and the signal's number."""
    number = -code if code < 0 else code - 128
    if code and number in SIGNALS:
        return f"it was ended by {SIGNALS[number]}"
    return f"it ended with {code}" if code else ""
