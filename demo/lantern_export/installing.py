"""Installing versions of the stand-in engine on this machine: a folder each, described for agents."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from demo.lantern_export.lantern_export import LICENCE

SCRIPT = Path(__file__).resolve().parent / "lantern_export.py"


def install(folder: Path, version: str, platforms: list[str], accepted: bool = True) -> Path:
    """`folder` gets the description that agents look for. Returns the folder."""
    home = folder / version
    home.mkdir(parents=True, exist_ok=True)
    (home / "version.txt").write_text(version + "\n")
    if accepted:
        (home / "licences.txt").write_text(LICENCE + "\n")
    command = [sys.executable, str(SCRIPT), "--installation", str(home)]
    lines = [
        'name = "lantern-export"',
        f"command = {json.dumps(command)}",
        'version = ["--version"]',
        'licences = ["licence", "list"]',
        f"platforms = {json.dumps(platforms)}",
        # It runs on this checkout's own Python.
        f"readable = {json.dumps([sys.prefix, str(SCRIPT.parent.parent)])}",
    ]
    (folder / f"lantern-export-{version}.toolchain.toml").write_text("\n".join(lines) + "\n")
    return folder
