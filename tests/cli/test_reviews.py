"""The studio's own review desk by command line."""

from __future__ import annotations

import json

import pytest

from rampa.client import Client
from rampa.operations.reviews import desk
from tests.cli.conftest import Said
from tests.conftest import World
from tests.listings import TITLE
from tests.refusals import refuses
from tests.service.test_reviews import put, studio

__all__ = ["studio"]


def test_a_day_at_the_desk(studio: Client, world: World, said: Said, monkeypatch: pytest.MonkeyPatch) -> None:
    # The commands are the owner's, who puts it there: of two people here one would do.
    monkeypatch.setattr(desk, "_must_be_another", lambda *_: None)
    assert "Nothing waits for the studio's reviewers." in said("review", "list")
    shown = said("review", "put", "peatlight#1", "--for", "public", "--notes", "Look at the fog.", "--within", "2")
    assert "Review 1 of peatlight: peatlight#1, 1.4.0, for public" in shown
    assert ("Look at the fog." in shown, "it asks for none" in shown, "state 1: Peatlight, in en, fi" in shown) == (
        True,
    ) * 3
    assert "in 2 h 00 min" in said("review", "list")
    said("review", "claim", "1")
    assert "Iida" in said("review", "list", "--mine")
    assert "in line" in said("review", "give-back", "1")
    said("review", "claim", "1")
    said("review", "note", "1", "--words", "Ask about the fog.")
    assert "question asked" in said("review", "ask", "1", "--words", "Is it meant?", "--about", "the fog")
    assert "in line" in said("review", "answer", "1", "--words", "It is.")
    said("review", "claim", "1")
    with refuses("review.reason"):
        said("review", "refuse", "1", "--words", "It ends.", "--reason", "fog")
    assert "It ended by itself" in said("review", "refuse", "1", "--words", "It ends.", "--reason", "crash")
    said("review", "appeal", "1", "--words", "Not any more.")
    said("review", "claim", "1")
    assert json.loads(said("review", "pass", "1", "--json"))["state"] == "passed"
    assert "passed" in said("review", "list", "--over")
    assert "Is it meant?" in said("review", "show", "1")
    assert "week from" in said("review", "times")


def test_a_review_is_withdrawn_after_a_question(studio: Client, said: Said) -> None:
    put(studio)
    assert "Not done" in said("review", "withdraw", "1", code=1)
    assert "withdrawn" in said("review", "withdraw", "1", "--yes")
    assert [r.number for r in studio.reviews.all(title=TITLE)] == []
