"""What a simulated device reports of itself: installs, launches, sessions; kept without a network, nothing where switched off."""

from __future__ import annotations

import datetime as dt
import json
import shutil
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.operations.health import reports, stacks
from rampa.operations.health.pace import Pace
from tests.cli.conftest import Said
from tests.conftest import World
from tests.crashing import compile_program
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder
from tests.service.test_crashes import keep


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


@pytest.mark.skipif(not shutil.which("cc") or not shutil.which("objcopy"), reason="no compiler")
def test_a_crash_says_where(said: Said, world: World, client: Client, tmp_path: Path) -> None:
    """A real program really crashes on the device, for its class alone; the group names the line."""
    reports._pace = Pace()
    add_key(client)
    import_title(client)
    program = compile_program(tmp_path / "program")
    source = make_folder(tmp_path / "source", 20_000)
    shutil.copy(program.file, source / "bin/peatlight")
    keep(client, source, program.symbols, tmp_path / "state")
    client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
    desk = str(tmp_path / "desk")
    said("device", "add", desk)
    said("device", "update", desk)
    said("device", "start", desk, "--self-test")
    assert "No crash was reported with its place" in said("health", "crashes")
    said("device", "choose", desk, "--class", "visor-2")
    said("device", "start", desk, "--self-test", code=-11)
    said("device", "update", desk)
    stacks.look_up(world.services)
    listed = said("health", "crashes", "--of", "peatlight#1", "--new")
    assert "fog_at, src/fog.c:22" in listed
    assert "visor-2: 1" in listed
    told = said("health", "crash", "1")
    assert "night_shift" in told
    assert "src/main.c:14" in told
    assert "1 device, 1 of them simulated" in told
    assert "There is no build of linux-release before peatlight#1." in told
    assert "new in this build" in said("health", "show", "peatlight#1", "--on", "studio")
    with refuses("crashes.new", "--new is asked of a build"):
        said("health", "crashes", "--new")
    told = json.loads(said("health", "crash", "1", "--json"))
    assert told["stacks"][0]["frames"][0]["places"][0]["line"] == 22
    # A fleet crashes at a line, by the symbols that the build keeps.
    fleet = ("fleet", "run", "--devices", "5", "--class", "visor-2", "--crash", "1=1.0", "--speed", "20000")
    with refuses("fleet.crash", "'1=fog.c' is not BUILD=FILE:LINE"):
        said(*fleet, "--crash-at", "1=fog.c")
    with refuses("fleet.no-line", "the symbols hold no code for src/fog.c:1"):
        said(*fleet, "--crash-at", "1=src/fog.c:1")
    said(*fleet, "--seconds", "0.2", "--offline", "0", "--sessions", "12", "--crash-at", "1=src/fog.c:22")
    stacks.look_up(world.services)
    (group,) = client.health.crashes("peatlight").items
    assert group.devices > 1, "the simulated and the real crash are of one place"
