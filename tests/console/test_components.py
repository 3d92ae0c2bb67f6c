"""The console's parts with logic of their own, tested in its own language: the log, the matrix, the draft, words."""

from __future__ import annotations

import subprocess
from pathlib import Path

CONSOLE = Path(__file__).parents[2] / "console"


def test_the_console_s_parts() -> None:
    ran = subprocess.run(["npm", "test"], cwd=CONSOLE, capture_output=True, text=True, check=False)
    assert ran.returncode == 0, ran.stdout[-6000:] + ran.stderr[-2000:]
    assert " passed" in ran.stdout
