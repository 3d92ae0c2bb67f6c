"""A title's own channels and their gates by command line."""

from __future__ import annotations

from pathlib import Path

from rampa.client import Client
from rampa.schema.common import Role
from tests.cli.conftest import Said
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder


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


def test_gates_close_are_approved_and_waived(said: Said, world: World, client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "source", 200_000), tmp_path / "state")
    assert said("channel", "gates", "early").strip() == "early: no gates"
    wanted = ("--approvals", "1", "--stood-on", "testers=0", "--update-cost", "2.5", "--play-sign-offs", "1")
    assert "Now: no gates. Then: was live on testers; approved by 1 other person" in said(
        "channel", "gates", "early", *wanted, code=1
    )
    told = said("channel", "gates", "early", *wanted, "--clean-checks", "--bound-signature", "--yes")
    assert "the median device downloads at most 2.5 MB" in told
    for words, code in (
        (("--none", "--approvals", "1"), "gate.none"),
        (("--stood-on", "testers"), "gate.hours"),
        (("--stood-on", "early=3", "--yes"), "gate.impossible"),
    ):
        with refuses(code):
            said("channel", "gates", "early", *words)
    with refuses("placement.blocked", "closed gates, above"):
        said("channel", "place", "peatlight#1", "--on", "early", "--yes")
    said("channel", "gates", "early", "--approvals", "1", "--play-sign-offs", "1", "--yes")
    assert "0 of 1, and nobody else may; an owner: rampa person invite" in said(
        "channel", "approve", "peatlight#1", "--on", "early"
    )
    with world.client(Role.ENGINEER) as engineer:
        engineer.channels.approve("peatlight", "early", 1)
    why = ("--gate", "play-sign-offs", "--reason", "Kaisa played it last night.")
    assert "with your name and this reason" in said("channel", "waive", "peatlight#1", "--on", "early", *why, code=1)
    told = said("channel", "waive", "peatlight#1", "--on", "early", *why, "--yes")
    assert ("◇ waived" in told, "○ passed" in told, "Kaisa played it" in told) == (True, True, True)
    assert "is live on early" in said("channel", "place", "peatlight#1", "--on", "early", "--yes")
    assert "waived play-sign-offs: Kaisa played it last night." in said("channel", "show", "early")
    assert said("channel", "gates", "early", "--none", "--yes").startswith("early: no gates")
