"""What a simulated device reports of itself: installs, launches, sessions; kept without a network, nothing where switched off."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.operations.health import reports
from rampa.operations.health.pace import Pace
from tests.cli.conftest import Said
from tests.conftest import World
from tests.samples import add_key, build, import_title, make_folder


@pytest.fixture
def desk(said: Said, client: Client, tmp_path: Path) -> Path:
    """A device that follows studio, where #1 is live; it ends by a signal when it is told to crash."""
    reports._pace = Pace()
    add_key(client)
    import_title(client)
    source = make_folder(tmp_path / "source", 100_000)
    (source / "bin/peatlight").write_text('#!/bin/sh\n[ "$1" = crash ] && kill -SEGV $$\nexit 3\n')
    build(client, source, tmp_path / "state")
    client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
    said("device", "add", str(tmp_path / "desk"))
    return tmp_path / "desk"


def reported(world: World, client: Client) -> dict[str, tuple[int, int]]:
    """Kind -> (bad, total) of all devices."""
    later = dt.datetime.now(dt.UTC) + dt.timedelta(minutes=11)
    object.__setattr__(world.services, "now", lambda: later)
    found = client.health.get("peatlight", "studio", 1)
    assert found.simulated == found.devices
    return {r.trouble.value: (r.bad, r.total) for r in found.rows if not r.part}


def kept(desk: Path) -> int:
    return len(json.loads((desk / "reports.json").read_text())["events"])


def test_installs_launches_and_crashes(said: Said, world: World, client: Client, desk: Path) -> None:
    said("device", "update", str(desk))
    said("device", "start", str(desk), code=3)
    said("device", "start", str(desk), "crash", code=-11)
    assert kept(desk) == 4, "a start needs no network: what happened waits for the next look"
    said("device", "update", str(desk))
    assert kept(desk) == 0
    assert reported(world, client) == {"session": (1, 2), "launch": (0, 2), "install": (0, 1)}


def test_a_person_s_switch(said: Said, world: World, client: Client, desk: Path) -> None:
    said("device", "update", str(desk))
    said("device", "start", str(desk), code=3)
    said("device", "choose", str(desk), "--no-reports")
    assert kept(desk) == 0, "what was kept is forgotten"
    said("device", "start", str(desk), "crash", code=-11)
    said("device", "update", str(desk))
    assert reported(world, client) == {"install": (0, 1)}


def test_a_damaged_file_costs_what_was_in_it(said: Said, desk: Path) -> None:
    said("device", "update", str(desk))
    (desk / "reports.json").write_text("{")
    said("device", "start", str(desk), code=3)
    assert kept(desk) == 2
