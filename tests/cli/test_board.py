"""The board in a terminal: now, as it was, and what is new since one looked."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from rampa.client import Client
from tests.cli.conftest import Said
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder


def test_now_and_then(said: Said, client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("COLUMNS", "160")
    add_key(client)
    import_title(client)
    assert "Nothing was placed or built for players yet." in said("board")
    build(client, make_folder(tmp_path / "source", 100_000), tmp_path / "state")
    waiting = said("board")
    assert "studio" in waiting
    assert waiting.rstrip().endswith("#1 1.4.0")
    said("channel", "place", "peatlight#1", "--on", "studio", "--plan", "5 %, all after 3 h", "--yes")
    shown = said("board", "--title", "peatlight")
    assert "◐ #1 1.4.0 5 %" in shown
    assert "100 % " in shown
    (cell,) = [c for c in json.loads(said("board", "--json"))["titles"][0]["lines"][0]["cells"] if c["builds"]]
    assert (cell["builds"][0]["next_share"], cell["builds"][0]["waits"]) == (100, "")
    assert "Peatlight" not in said("board", "--at", "2d")
    assert "Peatlight" not in said("board", "--at", "2026-01-01T00:00")
    for text, code in (("yesterday", "moment.unread"), ("2126-01-01", "board.ahead")):
        with refuses(code, where="--at"):
            said("board", "--at", text)
