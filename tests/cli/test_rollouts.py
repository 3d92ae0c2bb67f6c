"""A rollout by command line: placed for a part, planned, held, gone on with, grown, rolled back."""

from __future__ import annotations

import json
from pathlib import Path
from types import SimpleNamespace

import pytest

from rampa.cli.channels import rollout_views
from rampa.client import Client
from rampa.operations.channels import rollouts
from rampa.schema.releases import NewRelease
from tests.cli.conftest import Said
from tests.clock import Clock
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder

ON = ("peatlight#2", "--on", "studio")


@pytest.fixture
def ready(client: Client, tmp_path: Path) -> Client:
    add_key(client)
    import_title(client)
    folder = make_folder(tmp_path / "source", 200_000)
    build(client, folder, tmp_path / "state")
    client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
    change_folder(folder)
    build(client, folder, tmp_path / "state")
    return client


def test_placed_and_followed_until_every_device_has_it(
    said: Said, world: World, ready: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = Clock(world)

    def passes(_: float) -> None:
        clock.pass_(minutes=30)
        rollouts.grow_due(world.services)

    monkeypatch.setattr(rollout_views, "time", SimpleNamespace(sleep=passes))
    told = said("channel", "place", *ON, "--plan", "5 %, 20 % after 30 min, all after 1 h", "--wait", "--yes")
    steps = [line for line in told.splitlines() if line.startswith("peatlight#2 on studio: ")]
    assert [line.split(", ")[0] for line in steps] == ["peatlight#2 on studio: 5 %", "peatlight#2 on studio: 20 %"]
    assert "peatlight#2 is live on studio for linux.\n" in told
    # What differs from what is live stands before the question.
    assert "peatlight#1 was not made from a commit" in told or "commit" in told
    release = ready.releases.make("peatlight", NewRelease(builds=[1])).number
    ready.releases.leave_out("peatlight", release, "windows-release", "Later.")
    placed = said("release", "place", str(release), "--on", "testers", "--share", "20", "--yes")
    assert "begins on testers, 20 % of the devices: 1 line." in placed


def test_from_a_part_to_all_and_back(said: Said, ready: Client) -> None:
    for words in (("--share", "120"), ("--plan", "5 %")):
        with refuses("share.outside" if "--share" in words else "plan.impossible"):
            said("channel", "place", *ON, *words, "--yes")
    told = said("channel", "place", *ON, "--share", "5", "--yes")
    assert "is live on studio for linux, 5 % of the devices." in told
    assert "rampa rollout show peatlight#2 --on studio" in told
    listed = said("channel", "list")
    assert [line.split()[4:6] for line in listed.splitlines() if "peatlight#" in line] == [
        ["5", "%"],
        ["100", "%"],
    ] or ("5 %" in listed and "100 %" in listed)
    plan = "5 % after 30 min, 20 % after 4 h, all after 1 day"
    assert "5 % now, by hand. Then: 5 % after 30 min" in said("rollout", "plan", *ON, "--as", plan, code=1)
    planned = said("rollout", "plan", *ON, "--as", plan, "--yes")
    assert plan in planned
    assert "20 % " in planned
    held = said("rollout", "hold", *ON, "--why", "It crashes on one kind of desk.")
    assert "held: It crashes on one kind of desk." in held
    with refuses("state.conflict"):
        said("rollout", "grow", *ON, "--to", "20", "--yes")
    assert "growing" in said("rollout", "go-on", *ON)
    ended = said("rollout", "plan", *ON, "--none", "--yes")
    assert "Then: by hand" in ended
    assert "next" not in ended
    for none in (["--none", "--as", plan], []):
        with refuses("plan.none"):
            said("rollout", "plan", *ON, *none)
    for named in ([], ["peatlight#2", "--release", "1"]):
        with refuses("rollout.which"):
            said("rollout", "hold", *named, "--on", "studio")
    assert "5 % now, by hand: 100 % then" in said("rollout", "grow", *ON, "--to", "all", code=1)
    assert "every device" in said("rollout", "grow", *ON, "--to", "all", "--yes")
    shown = json.loads(said("rollout", "show", *ON, "--json"))
    assert [c["state"] for c in shown["changes"]] == ["placed", "growing", "held", "growing", "whole"]
    assert "whole" in said("rollout", "show", *ON, "--wait"), "nothing more happens: it does not wait"
    with refuses("placement.none", "peatlight#1 is not live on studio"):
        said("rollout", "hold", "peatlight#1", "--on", "studio")
    back = ("peatlight#1", "--on", "studio")
    told = said("rollout", "roll-back", *back, "--preview")
    assert "studio goes back to peatlight#1 (1.4.0), from peatlight#2 (1.4.0)." in told
    assert json.loads(said("rollout", "roll-back", *back, "--preview", "--json"))[0]["new_code"] is False
    said("rollout", "roll-back", *back, code=1)
    assert "devices go down to it" in said("rollout", "roll-back", *back, "--yes")
    with refuses("rollout.no-way-back"):
        said("rollout", "roll-back", *back, "--yes")
