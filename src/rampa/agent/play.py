"""Starting an installed title for a simulated device: its program's self-test, in a sandbox, and what it drew.

The program is told where to put a picture of itself (RAMPA_PICTURE) and how large its screen is (RAMPA_SCREEN, such as 640x400);
one that draws nothing is told of by what it printed.
"""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from pathlib import Path

from rampa.agent.isolation import Sandbox
from rampa.agent.self_test import run_program, why_not
from rampa.core.apart import Readers
from rampa.core.devices.screen import SIZES, Form
from rampa.core.errors import RampaError, Refused
from rampa.core.picture.photo import make_photo
from rampa.standin.screen import Played

SECONDS = 30.0
LARGEST = 8_000_000
"""Bytes of a picture that are read."""
SAID = 2000
_readers = Readers(1, 10.0, 512 << 20)


@dataclass(frozen=True)
class Player:
    """`sandbox` None: a title's program is never started, and `why` says why. `user` is whom it runs as, where this is root."""

    sandbox: Sandbox | None
    why: str = ""
    user: int | None = None

    def __call__(self, tree: Path, launch: str, form: str, screen: Form) -> Played:
        """Raises `Refused` where this machine cannot."""
        program = tree / launch
        if self.sandbox is None:
            raise Refused("screen.no-sandbox", f"programs are not started without a sandbox: {self.why}")
        why = why_not(program)
        if why:
            raise Refused("screen.not-started", f"this machine cannot start it: {why}")
        width, height = SIZES[screen]
        with tempfile.TemporaryDirectory(prefix="rampa-screen-") as made:
            scratch = Path(made)
            (scratch / "home").mkdir()
            if self.user is not None:
                for path in (scratch, scratch / "home"):
                    path.chmod(0o777)
            picture = scratch / "home" / "picture"
            place = self.sandbox.for_run(self.user, [scratch], [tree.resolve()], network=False)
            told = {"RAMPA_PICTURE": str(picture), "RAMPA_SCREEN": f"{width}x{height}"}
            real = tree.resolve()
            done = run_program(real / launch, real, scratch, SECONDS, place, form, told)
            said = done.said[-SAID:]
            crashed = f"The title ended: {done.why}." if done.why else ""
            return Played(said, crashed, _drawn(picture), done.crash, done.seconds)


def _drawn(picture: Path) -> bytes:
    """What a program left is read as any stranger's picture; nothing where it is none."""
    try:
        with picture.open("rb") as file:
            data = file.read(LARGEST + 1)
        return _readers.read(make_photo, data).data if data and len(data) <= LARGEST else b""
    except (OSError, RampaError):
        return b""
