"""The studio by command line: said, documents, handed in, decided."""

from __future__ import annotations

import json
from pathlib import Path

from rampa.client import Client
from tests.cli.conftest import Said
from tests.conftest import World
from tests.refusals import refuses
from tests.service.test_studio import PAPER, new_studio


def test_from_nothing_to_verified(client: Client, world: World, said: Said, tmp_path: Path) -> None:
    new_studio(world)
    shown = said("studio", "show")
    assert ("not said" in shown, "No document yet" in shown, "not begun" in shown) == (True,) * 3
    said("studio", "say", "--legal-name", "Quillback Works Oy", "--address", "Alder Halt 1")
    shown = said("studio", "say", "--contact", "office@quillback.example", "--register-number", "1907-3")
    assert ("Quillback Works Oy" in shown, "1907-3" in shown, "first: register" in shown) == (True,) * 3
    paper = tmp_path / "extract.pdf"
    paper.write_bytes(PAPER)
    assert "extract.pdf" in said("studio", "add-document", str(paper), "--kind", "register")
    said("studio", "save-document", str(tmp_path / "saved.pdf"), "--kind", "register")
    assert (tmp_path / "saved.pdf").read_bytes() == PAPER
    with refuses("file.unwritable"):
        said("studio", "save-document", str(tmp_path / "saved.pdf"), "--kind", "register")
    assert "waits for 0 days" in said("studio", "hand-in", "rampa")
    assert "Whose is it?" in said("studio", "decide", "ask", "--words", "Whose is it?")
    said("studio", "hand-in", "rampa")
    assert json.loads(said("studio", "decide", "verify", "--json"))["verified"] is True
    assert "verified" in said("studio", "look", "rampa")
    said("studio", "decide", "end")
    assert "Not done" in said("studio", "drop-document", "--kind", "register", code=1)
    said("studio", "drop-document", "--kind", "register", "--yes")
    assert client.studio.get().documents == []
