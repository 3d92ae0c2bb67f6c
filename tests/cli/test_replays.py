"""rampa update replay: asked for and followed, listed, stopped and gone on with."""

from __future__ import annotations

import threading
from pathlib import Path
from types import SimpleNamespace
from typing import cast

import typer

from rampa.cli import replays
from rampa.operations.base.context import Services
from tests.cli.test_commands import Shell
from tests.refusals import refuses
from tests.service.test_replays import work


def test_asked_for_followed_listed_stopped_and_gone_on_with(beside: tuple[Shell, Services], tmp_path: Path) -> None:
    made, services = beside
    rules = tmp_path / "rules.toml"
    assert "which rules are tried is not said" in made.run("update", "replay", code=1).stderr
    assert "Nothing was replayed yet" in made.run("update", "replay", "list").stderr
    rules.write_bytes(b"compression = 19 # \xff\n")
    assert "this byte is not UTF-8" in made.run("update", "replay", "--rules", str(rules), code=1).stderr
    rules.write_text("compresion = 19\n")
    assert "compresion cannot be said here" in made.run("update", "replay", "--rules", str(rules), code=1).stderr
    rules.write_text("compression = 19\n")
    asked = made.run("update", "replay", "--rules", str(rules), "--no-players", "--no-wait").stdout
    assert "asked for" in asked
    assert "#1 to #2" in asked
    assert "stopped" in made.run("update", "replay", "stop", "1").stdout
    worker = threading.Thread(target=lambda: _when_asked(services, made))
    worker.start()
    shown = made.run("update", "replay", "go-on", "1").stdout
    worker.join()
    assert "ready" in shown
    assert "in all" in shown
    assert "-" in shown.partition("in all")[2]
    found = made.json("update", "replay", "show", "1")
    assert [r["build"] for r in found["releases"]] == [1, 2]
    assert all(r["ruled"]["fresh"] < r["own"]["fresh"] for r in found["releases"])
    assert "linux-release" in made.run("update", "replay", "list").stdout
    assert "is ready" in made.run("update", "replay", "stop", "1", code=5).stderr


def test_which_rules_must_be_said() -> None:
    with refuses("rules.not-set", says="give --rules"):
        replays.replay(cast(typer.Context, SimpleNamespace(invoked_subcommand=None)), rules=None)


def _when_asked(services: Services, made: Shell) -> None:
    while made.json("update", "replay", "show", "1")["state"] != "waiting":
        pass
    work(services, 1)
