"""The tree of commands: every command is invoked by a test, has help that says what it does, and completes."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import typer
from typer.core import TyperGroup

from rampa.cli import main as cli

RAMPA = Path(sys.executable).with_name("rampa")


def commands() -> Iterator[tuple[str, Any]]:
    """`title import` and its command, for all."""
    for name, (module, _) in cli.GROUPS.items():
        group = typer.main.get_command(__import__(f"rampa.cli.{module}", fromlist=["app"]).app)
        assert isinstance(group, TyperGroup), name
        for word, command in group.commands.items():
            yield f"{name} {word}", command


@pytest.mark.parametrize(("name", "command"), list(commands()), ids=lambda v: v if isinstance(v, str) else "")
def test_every_command_says_what_it_does(name: str, command: Any) -> None:
    said = command.help or ""
    assert said.strip().splitlines()[0].rstrip().endswith((".", ":")), f"{name}: {said!r}"
    for parameter in command.params:
        assert getattr(parameter, "help", None) or parameter.name == "help", f"{name} {parameter.name}"


@pytest.mark.parametrize(
    ("words", "completed"), [("rampa ti", "title"), ("rampa title re", "restore"), ("rampa key ha", "hand-over")]
)
def test_a_shell_completes_words(words: str, completed: str) -> None:
    asked = {"_RAMPA_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(len(words.split()) - 1)}
    ran = subprocess.run([RAMPA], env=os.environ | asked, capture_output=True, text=True, check=False)
    assert completed in ran.stdout.split()


def test_the_command_alone_shows_its_help_and_says_its_version() -> None:
    alone = subprocess.run([RAMPA], capture_output=True, text=True, check=False)
    assert "sign-in" in alone.stdout + alone.stderr
    said = subprocess.run([RAMPA, "--version"], capture_output=True, text=True, check=True)
    assert re.fullmatch(r"rampa \d+\.\d+\.\d+\n", said.stdout)
