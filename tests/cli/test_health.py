"""A fleet runs against a channel by command line; a build that crashes on one class is found, and the health says where."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path

from rampa.client import Client
from rampa.operations.health import reports, watch
from rampa.operations.health.pace import Pace
from tests.cli.conftest import Said
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder


def test_a_fleet_finds_a_build_that_crashes_on_one_class(
    said: Said, world: World, client: Client, tmp_path: Path
) -> None:
    reports._pace = Pace(10_000)
    add_key(client)
    import_title(client)
    folder = make_folder(tmp_path / "source", 100_000)
    build(client, folder, tmp_path / "state")
    said("channel", "place", "peatlight#1", "--on", "studio", "--yes")
    change_folder(folder)
    build(client, folder, tmp_path / "state")
    assert "Nothing was reported yet." in said("health", "show", "peatlight#1", "--on", "studio")
    said("channel", "place", "peatlight#2", "--on", "studio", "--share", "50", "--yes")
    fleet = ("fleet", "run", "--on", "studio", "--devices", "60", "--class", "desk-1", "--class", "visor-2")
    fast = ("--speed", "20000", "--sessions", "12", "--offline", "0", "--seconds", "0.2")
    with refuses("fleet.share", "'often' is not BUILD=SHARE"):
        said(*fleet, "--crash", "often")
    told = json.loads(said(*fleet, *fast, "--crash", "2=1.0@visor-2", "--json"))
    assert told["simulated"]
    assert told["crashes"] > 5
    assert set(told["having"]) >= {"1", "2"}
    now = dt.datetime.now(dt.UTC) + dt.timedelta(minutes=2)
    object.__setattr__(world.services, "now", lambda: now)
    assert watch.watch(world.services) == 1
    shown = said("health", "show", "peatlight#2", "--on", "studio")
    assert "■ worse: 100.0 % of" in shown
    assert "crash on class visor-2" in shown
    assert "of them simulated" in shown
    assert "held" in said("rollout", "show", "peatlight#2", "--on", "studio")
    assert json.loads(said("health", "show", "peatlight#2", "--on", "studio", "--json"))["verdict"] == "worse"
    ended = said("fleet", "run", "--on", "studio", "--devices", "3", "--seconds", "0.2")
    assert "Everything here is simulated" in ended
