"""Commands in this process, against a service in this process: what they print, without starting anything."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import httpx
import pytest
import structlog
import typer

from rampa.cli.main import app
from rampa.client import Client
from rampa.operations.base.context import Services
from tests.cli.test_commands import Shell
from tests.conftest import OWNER, Lives, World
from tests.samples import add_key, build, change_folder, import_title, make_folder, words

Said = Callable[..., str]


@pytest.fixture
def said(
    world: World, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> Iterator[Said]:
    """`said("build", "list")`: what `rampa build list` prints, both streams; `code` is the exit code that is expected."""
    for name, value in (("HOME", str(tmp_path / "home")), ("ADDRESS", "http://rampa.test"), ("TOKEN", "x")):
        monkeypatch.setenv(f"RAMPA_{name}", value)
    monkeypatch.setattr("rampa.client.Client", lambda *_, **__: world.client(), raising=False)
    monkeypatch.setattr(
        "rampa.client.delivery.origins.open_http", lambda silence: httpx.Client(transport=world.transport())
    )

    # The service's log would stand between what commands print.
    structlog.configure(logger_factory=structlog.ReturnLoggerFactory())

    def run(*words: str, code: int = 0) -> str:
        monkeypatch.setattr(sys, "argv", ["rampa", *words])
        capsys.readouterr()
        ended = 0
        try:
            answer = app(list(words), standalone_mode=False)
            ended = answer if isinstance(answer, int) else 0
        except typer.Exit as end:
            ended = end.exit_code
        told = capsys.readouterr()
        assert ended == code, f"{words}: {ended}\n{told.out}\n{told.err}"
        return told.out + told.err

    yield run
    structlog.reset_defaults()


@pytest.fixture
def beside(lives: Lives, tmp_path: Path) -> tuple[Shell, Services]:
    """A service with two builds, and what its worker would have."""

    def fill(client: Client) -> None:
        source = make_folder(tmp_path / "source", 200_000)
        (source / "data/story.txt").write_bytes(words(400_000, 2))
        add_key(client)
        import_title(client)
        build(client, source, tmp_path / "state")
        change_folder(source)
        build(client, source, tmp_path / "state")

    made = Shell(live := lives(fill), tmp_path / "home")
    made.run("sign-in", live.address, "--email", OWNER)
    return made, live.worker()
