"""A placement for later by command line: scheduled, listed, moved, cancelled."""

from __future__ import annotations

import json
from pathlib import Path

from rampa.client import Client
from tests.cli.conftest import Said
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder


def test_for_later(said: Said, client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "source", 100_000), tmp_path / "state")
    assert "Nothing is scheduled" in said("channel", "scheduled")
    place = ("channel", "place", "peatlight#1", "--on", "testers")
    for words, code in (
        (("--at", "soon"), "moment.unread"),
        (("--at", "in 3h", "--when-open"), "schedule.when"),
        (("--at", "2020-01-01T09:00", "--yes"), "schedule.past"),
    ):
        with refuses(code):
            said(*place, *words)
    said(*place, "--at", "in 3h", code=1)
    told = said(*place, "--at", "in 3h", "--plan", "5 %, all after 2 h", "--yes")
    assert "… waiting" in told
    assert "5 %, all after 2 h" in told
    (one,) = json.loads(said("channel", "scheduled", "--json"))
    assert (one["what"], one["channel"], one["state"]) == ("peatlight#1", "testers", "waiting")
    assert "peatlight#1 goes to testers" in said("board")
    with refuses("schedule.when"):
        said("channel", "move", "1")
    assert "when its gates open" in said("channel", "move", "1", "--when-open")
    assert "peatlight#1 does not go to testers when its gates open." in said("channel", "cancel", "1", code=1)
    assert "cancelled" in said("channel", "cancel", "1", "--yes")
    assert "Nothing is scheduled" in said("channel", "scheduled")
    assert "cancelled" in said("channel", "scheduled", "--over")
