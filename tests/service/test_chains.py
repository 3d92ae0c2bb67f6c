"""Devices that skip releases: what the pages say is what they download, and differences stay while somebody needs them."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import select

from rampa.client import Client
from rampa.core.content.patch.sets import Budget
from rampa.db import DifferenceSetRow
from rampa.operations.content import visibility
from rampa.operations.delivery.publish import publish_due
from rampa.operations.store import collection
from rampa.operations.updates import needed_differences
from rampa.schema.devices import DeviceReport, NewDevice
from rampa.schema.updates import MatrixCell
from tests.conftest import Begun, World
from tests.delivering import MirrorServer, hold_ceremony, install, new_device, origins, place, written
from tests.samples import add_key, build, import_title, make_folder, noise
from tests.service.test_player_packs import travels
from tests.service.test_updates import TITLE, carried_out, device, needs_kernel, update

pytestmark = needs_kernel
NOW = dt.timedelta(0)


def make_three(client: Client, at: Path) -> None:
    """Three builds, a large file edited from one to the next."""
    add_key(client)
    import_title(client)
    folder = make_folder(at / "source", 200_000)
    big = noise(600_000, 9)
    for number, piece in enumerate((b"", b"a lantern", b"fog and ice")):
        big = big[: 200_000 + number] + piece + big[200_000 + number :]
        (folder / "data/big.arc").write_bytes(big)
        build(client, folder, at / "state")


@pytest.fixture
def built(client: Client, world: World, begun: Begun, tmp_path: Path) -> World:
    begun(lambda: make_three(client, tmp_path))
    return world


def live_for_everybody(client: Client, world: World, number: int) -> None:
    """With all that a placement asks of the worker: differences, and content where its readers may read."""
    place(client, number)
    carried_out(world)
    visibility.settle(world.services)


@pytest.fixture
def series(client: Client, world: World, begun: Begun, tmp_path: Path) -> World:
    """Each of them was live for everybody until the next one came."""

    def fill() -> None:
        make_three(client, tmp_path)
        for number in (1, 2, 3):
            live_for_everybody(client, world, number)

    begun(fill)
    return world


def cells(client: Client) -> dict[tuple[int, int], MatrixCell]:
    return {(c.old, c.new): c for c in client.updates.matrix(TITLE, "linux", [1, 2, 3]).cells}


def sets(world: World) -> set[tuple[int, int]]:
    """(old, new) of the sets that are there."""
    with world.services.db.transaction() as session:
        return {(s.old.number, s.new.number) for s in session.scalars(select(DifferenceSetRow))}


def test_skipping_a_release_costs_what_the_pages_say(series: World, client: Client, tmp_path: Path) -> None:
    assert sets(series) == {(1, 2), (2, 3)}
    told = cells(client)
    assert told[1, 3].download < told[1, 3].plain / 4
    for pair, cell in told.items():
        assert travels(client, tmp_path / f"device-{pair[0]}-{pair[1]}", *pair) == cell.download, pair
    # The step's content lies on the disk meanwhile.
    assert told[1, 3].peak_disk > told[2, 3].peak_disk


def test_differences_of_its_own_take_the_place_of_a_chain_where_they_are_less(series: World, client: Client) -> None:
    chain = cells(client)[1, 3]
    client.updates.make_differences(TITLE, 1, 3)
    assert cells(client)[1, 3].download == chain.download, "until they are made, the chain serves"
    carried_out(series)
    direct = cells(client)[1, 3]
    assert direct.download < chain.download
    assert direct.plain == chain.plain


def test_an_old_device_is_told_of_neither(
    series: World, client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for version in (2, 3):
        monkeypatch.setattr("rampa.client.devices.delivery.LOCATIONS", version)
        on = device(client, tmp_path / f"old-{version}")
        update(client, on, 1)
        report = update(client, on, 3)
        assert on.verify() == []
        assert report.downloaded + report.metadata >= cells(client)[1, 3].plain * 0.95


def test_no_chain_leads_over_a_build_that_not_everybody_may_read(built: World, client: Client) -> None:
    for number, channel in ((1, "early"), (2, "testers"), (3, "early")):
        place(client, number, channel)
        carried_out(built)
    direct = cells(client)[1, 3]
    assert direct.download < direct.plain / 4
    with built.services.db.transaction() as session:
        rows = {(s.old.number, s.new.number): s for s in session.scalars(select(DifferenceSetRow))}
        session.delete(rows.pop((1, 3)))
        assert set(rows) == {(1, 2), (2, 3)}
    assert cells(client)[1, 3].download == cells(client)[1, 3].plain


def test_a_collected_step_is_done_without(series: World, client: Client, tmp_path: Path) -> None:
    on = device(client, tmp_path / "device")
    update(client, on, 1)
    with series.services.db.transaction() as session:
        rows = list(session.scalars(select(DifferenceSetRow)))
        middle = next(s.pack for s in rows if s.old.number == 1)
    assert middle
    series.services.store.remove_pack(middle)
    update(client, on, 3)
    assert on.verify() == []


def test_chains_are_among_the_files_of_a_delivery(built: World, client: Client, tmp_path: Path) -> None:
    place(client, 1)
    hold_ceremony(client)
    publish_due(built.services)
    written(client, tmp_path / "mirror")
    server = MirrorServer(tmp_path / "mirror")
    player, places = new_device(client, tmp_path / "desk"), origins({"mirror.test": server})
    assert install(player, places) == 1
    for number in (2, 3):
        live_for_everybody(client, built, number)
    publish_due(built.services)
    written(client, tmp_path / "mirror")
    server.asked.clear()
    assert install(player, places) == 3
    with built.services.db.transaction() as session:
        packs = {f"packs/{s.pack.hex()}.pack" for s in session.scalars(select(DifferenceSetRow)) if s.pack}
    assert packs <= set(server.asked)


def test_differences_stay_while_somebody_needs_them(
    series: World, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    at_once = replace(series.services, layout=replace(series.services.layout, kept_days=0))
    collection.collect(at_once, young=NOW, grace=NOW)
    assert sets(series) == {(1, 2), (2, 3)}, "nobody says what they have: all that was for everybody counts"
    monkeypatch.setattr(needed_differences, "ENOUGH", 1)
    client.devices.register(TITLE, NewDevice(name="loft", platform="linux", channel="studio"))
    client.devices.report(TITLE, "loft", DeviceReport(build=1))
    collection.collect(at_once, young=NOW, grace=NOW)
    assert sets(series) == {(1, 2), (2, 3)}, "a step for who has the first"
    client.devices.report(TITLE, "loft", DeviceReport(build=2))
    seen = collection.preview(at_once, young=NOW, grace=NOW)
    assert seen.differences == 1
    assert sets(series) == {(1, 2), (2, 3)}, "looking changes nothing"
    done = collection.collect(at_once, young=NOW, grace=NOW)
    assert (done.differences, done.frees) == (1, seen.frees)
    assert sets(series) == {(2, 3)}
    assert cells(client)[1, 3].download == cells(client)[1, 3].plain


def test_what_most_devices_have_comes_first_and_what_few_have_not_at_all(series: World, client: Client) -> None:
    for number in range(3):
        client.devices.register(TITLE, NewDevice(name=f"loft-{number}", platform="linux", channel="studio"))
        client.devices.report(TITLE, f"loft-{number}", DeviceReport(build=1 if number else 2))
    needed_differences.ask_where_lacking(replace(series.services, budget=Budget(devices=3)))
    assert sets(series) == {(1, 2), (2, 3)}
    needed_differences.ask_where_lacking(series.services)
    assert sets(series) == {(1, 2), (2, 3), (1, 3)}
    # Another set to the same build has spent all that there is.
    carried_out(replace(series, services=replace(series.services, budget=Budget(size=1))))
    assert client.updates.differences(TITLE, 1, 3).state == "skipped"
