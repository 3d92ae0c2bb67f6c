"""A title's own channels by command line."""

from __future__ import annotations

from rampa.client import Client
from tests.cli.conftest import Said
from tests.refusals import refuses
from tests.samples import import_title


def test_added_ordered_renamed_and_removed(said: Said, client: Client) -> None:
    import_title(client)
    told = said("channel", "add", "press", "--audience", "for-everybody", "--after", "testers")
    assert [line.split()[1] for line in told.splitlines() if line.strip()[:1].isdigit()] == [
        "studio",
        "testers",
        "press",
        "early",
        "public",
    ]
    assert "for everybody" in told
    assert said("channel", "order", "press", "--first").splitlines()[-5].split()[1] == "press"
    assert "press" in said("channel", "change", "press", "--name", "critics").splitlines()[-5]
    for words, code in ((("order", "critics"), "channel.nowhere"), (("change", "critics"), "channel.nothing")):
        with refuses(code):
            said("channel", *words)
    assert "Remove critics?" not in said("channel", "remove", "critics", "--yes")
    assert "critics" not in said("channel", "list")
