"""rampa player-pack: shown, asked for, followed until they are made, stopped."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.db import Database
from rampa.operations.base.context import Services
from rampa.store.folder import FolderStore
from tests.cli.test_commands import Shell
from tests.conftest import OWNER, Lives
from tests.samples import add_key, build, import_title, make_folder, words
from tests.service.test_player_packs import laid_out


@pytest.fixture
def beside(lives: Lives, tmp_path: Path) -> tuple[Shell, Services]:
    """A service with one build, and what its worker would have."""

    def fill(client: Client) -> None:
        source = make_folder(tmp_path / "source", 200_000)
        (source / "data/story.txt").write_bytes(words(400_000, 2))
        add_key(client)
        import_title(client)
        build(client, source, tmp_path / "state")

    made = Shell(live := lives(fill), tmp_path / "home")
    made.run("sign-in", live.address, "--email", OWNER)
    master = bytes.fromhex(live.folder.master_key.read_text().strip())
    return made, Services(Database(live.url), FolderStore(live.folder.store), master)


def test_made_followed_shown_and_stopped(beside: tuple[Shell, Services]) -> None:
    made, services = beside
    assert "not asked for" in made.run("player-pack", "show", "peatlight#1").stdout
    assert "no packs for players" in made.run("player-pack", "stop", "peatlight#1", code=4).stderr
    assert "asked for" in made.run("player-pack", "make", "peatlight#1").stdout
    assert "stopped" in made.run("player-pack", "stop", "peatlight#1").stdout
    made.run("player-pack", "make", "peatlight#1")
    worker = threading.Thread(target=laid_out, args=(services,))
    worker.start()
    shown = made.run("player-pack", "make", "peatlight#1", "--wait").stdout
    worker.join()
    assert "% less" in shown
    assert "chosen" in shown
    found = made.json("player-pack", "show", "peatlight#1")
    assert (found["state"], found["done"]) == ("ready", found["content"])
    assert "small frames" in made.run("player-pack", "make", "peatlight#1", code=1).stderr
