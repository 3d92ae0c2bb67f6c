"""Placing: shown first, gated, whole or not at all; the cost that is shown is the cost that a device pays."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.errors import Conflict
from rampa.core.install.install import Installation
from rampa.schema.common import Role
from rampa.schema.devices import DeviceReport, NewDevice
from rampa.system import CLOCK
from tests.conftest import Begun, World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return make_folder(tmp_path / "source")


@pytest.fixture
def placed(client: Client, begun: Begun, folder: Path, tmp_path: Path) -> Client:
    """Build 1 is live on studio; build 2, from the changed folder, is ready."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        build(client, folder, tmp_path / "state")
        place(client, 1)
        change_folder(folder)
        build(client, folder, tmp_path / "state")

    begun(fill)
    return client


def place(client: Client, number: int, channel: str = "studio"):  # type: ignore[no-untyped-def]
    return client.channels.place(
        "peatlight", channel, number, client.channels.preview("peatlight", channel, number).etag
    )


def installation(client: Client, root: Path) -> Installation:
    title = client.titles.get("peatlight")
    return Installation(root, title.identifier, bytes.fromhex(title.manifest_key), clock=CLOCK)


def update(client: Client, device: Installation, number: int):  # type: ignore[no-untyped-def]
    return device.update(client.builds.statement("peatlight", number), HttpDelivery(client, "peatlight", number))


def test_what_stands_between_a_build_and_a_channel_is_found(placed: Client) -> None:
    def found(channel: str, number: int) -> set[tuple[str, str]]:
        return {(f.severity, f.code) for f in placed.channels.preview("peatlight", channel, number).findings}

    assert ("blocker", "build.live") in found("studio", 1)
    assert ("blocker", "build.live") not in found("studio", 2)
    for channel in ("studio", "testers", "early"):
        place(placed, 2, channel)
    (leading,) = (b for row in placed.titles.ramp("peatlight").rows for b in row.builds if b.number == 2)
    assert leading.stop is None
    assert leading.next
    # The review is passed over: Rampa delivers the line itself.
    assert (leading.next.name, leading.next.possible) == ("place on public", True)


def test_the_preview_says_what_a_device_then_pays_to_the_byte(placed: Client, tmp_path: Path) -> None:
    seen = placed.channels.preview("peatlight", "studio", 2)
    assert seen.possible
    assert seen.replaces
    assert seen.replaces.number == 1
    assert {(c.kind, c.path) for c in seen.changes} == {
        ("changed", "data/bog.arc"),
        ("changed", "locale/en.json"),
        ("moved", "locale/suomi.json"),
        ("added", "data/thaw.bin"),
        ("removed", "data/empty.bin"),
    }
    fresh = update(placed, installation(placed, tmp_path / "fresh"), 2)
    assert seen.fresh
    assert fresh.downloaded + fresh.metadata == seen.fresh.download
    assert fresh.written == seen.fresh.written
    device = installation(placed, tmp_path / "device")
    update(placed, device, 1)
    report = update(placed, device, 2)
    assert seen.update
    assert report.downloaded + report.metadata == seen.update.download
    assert (report.reused, report.written) == (seen.update.reused, seen.update.written)
    assert seen.update.download < seen.fresh.download / 4
    assert device.verify() == []


def test_placing_supersedes_and_withdrawing_ends(placed: Client) -> None:
    assert place(placed, 2).state == "whole"
    channel = placed.channels.get("peatlight", "studio")
    assert [(p.build.number, p.state) for p in channel.history] == [(2, "whole"), (1, "superseded")]
    assert placed.channels.offer("peatlight", "studio", "linux").builds[0].build == 2
    done = placed.rollouts.withdraw("peatlight", "studio", 2)
    assert done.state == "withdrawn"
    with refuses("offer.none", "nothing is live"):
        placed.channels.offer("peatlight", "studio", "linux")
    with refuses("state.conflict", "is withdrawn"):
        placed.rollouts.withdraw("peatlight", "studio", 2)
    with refuses("placement.blocked", "not above 2"):
        place(placed, 1)
    assert place(placed, 2).state == "whole", "a build can come back after a withdrawal"


def test_blockers_refuse(placed: Client, folder: Path, tmp_path: Path) -> None:
    build(placed, folder, tmp_path / "state", profile="linux-unsigned")
    seen = placed.channels.preview("peatlight", "studio", 3)
    assert not seen.possible
    assert [f.code for f in seen.findings] == ["bundle.unsigned"]
    with refuses("placement.blocked", "the bundle is not signed"):
        place(placed, 3)
    with refuses("placement.blocked", "live on studio already"):
        place(placed, 1)


def test_overlapping_depots_block_and_are_not_priced(client: Client, folder: Path, tmp_path: Path) -> None:
    add_key(client)
    import_title(client, DOCUMENT.replace('not = ["locale/"]', 'not = ["data/none"]'))
    build(client, folder, tmp_path / "state")
    seen = client.channels.preview("peatlight", "studio", 1)
    assert {f.code for f in seen.findings} == {"depot.overlap", "signing.not-backed-up"}
    assert seen.fresh is None
    with refuses("placement.blocked", "both deliver locale/en"):
        place(client, 1)


def test_an_open_build_is_not_placed(placed: Client) -> None:
    from rampa.schema.builds.builds import NewBuild

    placed.builds.open("peatlight", NewBuild(profile="linux-release"))
    assert [f.code for f in placed.channels.preview("peatlight", "studio", 3).findings] == ["build.not-ready"]


def test_what_was_not_seen_is_not_placed(placed: Client) -> None:
    old = placed.channels.preview("peatlight", "studio", 2).etag
    placed.rollouts.withdraw("peatlight", "studio", 1)
    with refuses("channel.moved", "changed meanwhile"):
        placed.channels.place("peatlight", "studio", 2, old)


def test_two_placings_at_once_leave_one_live(placed: Client, folder: Path, tmp_path: Path) -> None:
    build(placed, folder, tmp_path / "state")
    etag = placed.channels.preview("peatlight", "studio", 2).etag

    def attempt(number: int) -> str:
        try:
            return placed.channels.place("peatlight", "studio", number, etag).state
        except Conflict:
            return "conflict"

    with ThreadPoolExecutor(2) as threads:
        assert sorted(threads.map(attempt, (2, 3))) == ["conflict", "whole"]
    assert len(placed.channels.get("peatlight", "studio").live) == 1


def test_a_viewer_sees_what_is_not_possible(world: World, placed: Client) -> None:
    with world.client(Role.VIEWER) as viewer:
        channel = viewer.channels.get("peatlight", "studio")
        assert [(a.possible, a.reason) for a in channel.allowed_actions] == [
            (False, "A viewer may not place builds."),
            (False, "A viewer may not change a title's channels."),
            (False, "A viewer may not set the gates of channels."),
            (False, "A viewer may not invite testers and give them access."),
        ]
        with refuses("role.denied", "a viewer may not"):
            viewer.channels.place("peatlight", "studio", 2, "0")


def test_the_ramp_says_what_is_where_and_what_stops_it(placed: Client, folder: Path, tmp_path: Path) -> None:
    build(placed, folder, tmp_path / "state", profile="linux-unsigned")
    placed.devices.register("peatlight", NewDevice(name="desk", platform="linux", channel="studio", simulated=True))
    placed.devices.report("peatlight", "desk", DeviceReport(build=1))
    ramp = placed.titles.ramp("peatlight")
    names = [s.name for s in ramp.stations]
    rows = {r.profile: r.builds for r in ramp.rows}
    lead, live = rows["linux-release"]
    assert (lead.number, names[lead.height]) == (2, "depots")
    assert lead.next
    assert (lead.next.name, lead.next.possible) == ("place on studio", True)
    assert (names[live.height], live.live_on, live.shares) == ("studio", ["studio"], {"studio": 100})
    (unsigned,) = rows["linux-unsigned"]
    assert names[unsigned.height] == "built"
    assert unsigned.stop
    assert unsigned.stop.code == "bundle.unsigned"
    assert rows["windows-release"] == []


def test_devices_are_registered_once_and_forgotten(placed: Client) -> None:
    asked = NewDevice(name="desk", platform="linux", channel="studio")
    placed.devices.register("peatlight", asked)
    with refuses("device.exists", "has a device 'desk' already"):
        placed.devices.register("peatlight", asked)
    with refuses("channel.unknown", "no channel 'none'"):
        placed.devices.register("peatlight", NewDevice(name="other", platform="linux", channel="none"))
    placed.devices.remove("peatlight", "desk")
    assert placed.devices.all("peatlight") == []
