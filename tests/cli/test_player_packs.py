"""rampa player-pack: shown, asked for, followed until they are made, stopped."""

from __future__ import annotations

import threading

from rampa.operations.base.context import Services
from tests.cli.test_commands import Shell
from tests.service.test_player_packs import laid_out


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
