"""A program chooses what lies where its crash report is looked for: nothing of the agent's is read, and nothing is waited for."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from pathlib import Path

import pytest

from rampa.core.health.crash import MOST_BYTES, CrashModule, CrashReport, left_behind, to_json

GOOD = to_json(CrashReport("SIGSEGV", (CrashModule("peatlight", "ab" * 20),), ((0, 0x1234),)))


def link(at: Path) -> None:
    (at.parent / "secret.json").write_bytes(GOOD)
    at.symlink_to(at.parent / "secret.json")


def many(at: Path) -> None:
    at.write_bytes(GOOD + b" " * MOST_BYTES)


def deep(at: Path) -> None:
    at.write_bytes(b"[" * 60_000)


LEFT: dict[str, Callable[[Path], object]] = {
    "a link to another file": link,
    "a link to what does not end": lambda at: at.symlink_to("/dev/zero"),
    "a pipe that nobody writes to": os.mkfifo,
    "a folder": Path.mkdir,
    "more than a report": many,
    "nesting without end": deep,
    "nothing": lambda at: None,
    "another format": lambda at: at.write_text(json.dumps({"format": "fog", "version": 1})),
}


@pytest.mark.parametrize("name", LEFT)
def test_it_is_no_report(name: str, tmp_path: Path) -> None:
    at = tmp_path / "crash.json"
    LEFT[name](at)
    assert left_behind(at) is None


def test_a_report_is_one(tmp_path: Path) -> None:
    (tmp_path / "crash.json").write_bytes(GOOD)
    assert left_behind(tmp_path / "crash.json") is not None
