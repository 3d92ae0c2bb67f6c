"""Packs for players: asked for, made, gone on with, stopped; what the pages say is what devices download."""

from __future__ import annotations

import datetime as dt
import signal
import subprocess
import sys
from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import pytest
from sqlalchemy import select, update

from rampa.client import Client
from rampa.core import parallel
from rampa.core.content.depots.choice import Choice
from rampa.core.content.layout.audience import read_audience
from rampa.core.content.layout.processor import unpacks
from rampa.core.content.layout.rules import LayoutRules
from rampa.core.content.patch import locations as locations_format
from rampa.db import BuildRow, LayoutPackRow, LayoutRow, PackRow, PlacementRow
from rampa.operations.base import Services, begin
from rampa.operations.layout import making
from rampa.operations.layout.kept import forget_layouts
from rampa.operations.store import collection
from rampa.schema.devices import DeviceReport, NewDevice
from rampa.schema.updates import DepotPlanQuery
from rampa.store.port import ContentStore
from rampa.system import CLOCK
from tests.conftest import Begun, World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder, words
from tests.service.test_updates import DEPOTS, ENCRYPTED, TITLE, carried_out, device, needs_kernel
from tests.service.test_updates import update as take

EVERYBODY = "early"
NOW = dt.timedelta(0)


@pytest.fixture
def three(client: Client, begun: Begun, tmp_path: Path) -> Path:
    """Three builds of text that packs well, each in the frames of its own upload."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 300_000)
        for number in range(3):
            for name in range(6):
                (folder / f"data/story-{name}.txt").write_bytes(
                    words(400_000, name) + words(90_000, 10 * number + name)
                )
            build(client, folder, tmp_path / "state")

    begun(fill)
    return tmp_path / "source"


def place(client: Client, number: int, channel: str = EVERYBODY) -> None:
    client.channels.place(TITLE, channel, number, client.channels.preview(TITLE, channel, number).etag)


def laid_out(services: Services) -> int:
    """Does what the queue's worker does; returns for how many builds."""
    with services.db.transaction() as session:
        rows = list(session.scalars(select(LayoutRow).where(LayoutRow.state.in_(("waiting", "making")))))
        asked = [str(row.build_id) for row in rows]
    for build_id in asked:
        making.lay_out(services, build_id)
    return len(asked)


def travels(client: Client, root: Path, old: int, new: int) -> int:
    """What a device that has `old` (0: nothing) downloads; what it has then is whole."""
    on = device(client, root)
    if old:
        take(client, on, old)
    report = take(client, on, new)
    assert on.verify() == []
    return int(report.downloaded + report.metadata)


@needs_kernel
def test_pages_and_devices_agree_to_the_byte_before_and_after(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    assert client.channels.preview(TITLE, EVERYBODY, 1).player_packs == "to-make"
    place(client, 1)
    assert client.channels.preview(TITLE, EVERYBODY, 1).player_packs == "waiting"
    assert client.channels.preview(TITLE, EVERYBODY, 2).differences_from == [1]
    place(client, 2)
    assert client.channels.preview(TITLE, EVERYBODY, 2).differences_from == []
    before = {(c.old, c.new): c for c in client.updates.matrix(TITLE, "linux").cells}
    assert before[0, 2].making == ["packs for players"]
    assert before[1, 2].making == ["differences"]
    for number, pair in enumerate(before):
        assert travels(client, tmp_path / f"before-{number}", *pair) == before[pair].download
    carried_out(world)
    assert laid_out(world.services) == 2
    after = {(c.old, c.new): c for c in client.updates.matrix(TITLE, "linux").cells}
    for number, pair in enumerate(after):
        assert travels(client, tmp_path / f"after-{number}", *pair) == after[pair].download, pair
        assert after[pair].download <= before[pair].download
        assert after[pair].making == []
    assert after[0, 2].download < before[0, 2].download
    # The third has none of its own: most of it lies in the second's.
    assert after[0, 3].download < before[0, 3].download
    shown = client.updates.player_packs(TITLE, 2)
    fresh = client.channels.preview(TITLE, EVERYBODY, 2).fresh
    assert (shown.state, shown.fresh, shown.plain) == ("ready", after[0, 2].download, before[0, 2].download)
    assert fresh
    assert fresh.download == shown.fresh
    assert shown.done == shown.content
    assert shown.choice
    assert sum(w.chosen for w in shown.choice.ways) == 1


def test_what_will_be_saved_is_said_while_they_are_made(client: Client, world: World, three: Path) -> None:
    place(client, 1)
    with pytest.raises(OSError, match="full"):
        laid_out(_failing(world.services, 0))
    shown = client.updates.player_packs(TITLE, 1)
    assert (shown.state, shown.done) == ("making", 0)
    assert "full" in shown.note
    assert 0 < shown.expected < shown.fresh
    fresh = client.channels.preview(TITLE, EVERYBODY, 1).fresh
    assert fresh
    told = fresh.expected
    laid_out(world.services)
    fresh = client.channels.preview(TITLE, EVERYBODY, 1).fresh
    assert fresh
    assert abs(told - fresh.download) < 0.05 * told


@pytest.mark.parametrize(("after", "written"), [(0, False), (0, True), (1, False), (2, True)])
def test_a_worker_that_ends_anywhere_is_gone_on_from(
    client: Client,
    world: World,
    three: Path,
    tmp_path: Path,
    after: int,
    written: bool,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """`written`: the bytes of the pack lie there, and no row says so."""
    # Small packs, so that there are several to fail between.
    monkeypatch.setattr("rampa.core.content.pack.pack.RAW_TARGET", 700_000)
    services = replace(world.services, layout=replace(world.services.layout, frame=1))
    place(client, 1)
    with pytest.raises(OSError, match="full"):
        laid_out(_failing(services, after, written))
    travels(client, tmp_path / "meanwhile", 0, 1)
    begun_at = client.updates.player_packs(TITLE, 1)
    assert begun_at.packs == after
    laid_out(services)
    done = client.updates.player_packs(TITLE, 1)
    assert (done.state, done.done) == ("ready", done.content)
    assert travels(client, tmp_path / "after", 0, 1) == done.fresh < done.plain


def test_a_worker_that_is_killed_again_and_again(client: Client, world: World, tmp_path: Path) -> None:
    """Each time some statements later: before bytes, between them and their rows, before the commit that makes them ready."""
    add_key(client)
    import_title(client)
    folder = make_folder(tmp_path / "source", 150_000)
    (folder / "data/story.txt").write_bytes(words(300_000, 2))
    build(client, folder, tmp_path / "state")
    client.updates.make_player_packs(TITLE, 1)
    ident = str(_build(world, 1).id)
    now = world.services.now().isoformat()
    killed = 0
    for after in range(1, 400, 7):
        words_ = ["tests.killed_worker", world.services.db.url, str(tmp_path / "store"), now, str(after), ident]
        ended = subprocess.run([sys.executable, "-m", *words_], capture_output=True, text=True)
        if ended.returncode == 0:
            break
        assert ended.returncode == -signal.SIGKILL, ended.stderr
        killed += 1
        if killed % 3 == 0:
            travels(client, tmp_path / f"device-{killed}", 0, 1)
    assert killed >= 4
    done = client.updates.player_packs(TITLE, 1)
    assert (done.state, done.done) == ("ready", done.content)
    assert travels(client, tmp_path / "device", 0, 1) == done.fresh


def test_stopping_and_going_on(client: Client, world: World, three: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rampa.core.content.pack.pack.RAW_TARGET", 700_000)
    services = replace(world.services, layout=replace(world.services.layout, frame=1))
    with refuses("layout.none"):
        client.updates.stop_player_packs(TITLE, 1)
    assert client.updates.make_player_packs(TITLE, 1).state == "waiting"
    assert client.updates.make_player_packs(TITLE, 1).state == "waiting"
    with pytest.raises(OSError, match="full"):
        laid_out(_failing(services, 1))
    assert client.updates.stop_player_packs(TITLE, 1).state == "stopped"
    assert laid_out(services) == 0
    before = client.updates.player_packs(TITLE, 1)
    again = client.updates.make_player_packs(TITLE, 1)
    assert (again.state, again.done) == ("waiting", before.done)
    laid_out(services)
    done = client.updates.player_packs(TITLE, 1)
    assert (done.state, done.done) == ("ready", done.content)
    assert [e.act for e in client.events.all() if e.act.startswith("layout.")].count("layout.finish") == 1


def test_few_devices_small_builds_and_no_seconds_make_none(client: Client, world: World, three: Path) -> None:
    place(client, 1, "studio")
    assert laid_out(world.services) == 0
    _layout_rules(world, least=1 << 40)
    place(client, 2)
    _layout_rules(world, seconds=0)
    place(client, 3)
    assert laid_out(world.services) == 0
    with refuses("layout.off"):
        client.updates.make_player_packs(TITLE, 1)


def test_the_way_is_the_audience_s(client: Client, world: World, three: Path) -> None:
    """Whoever waits for the line gets the smallest, whoever waits for the processor what unpacks fast."""
    chosen = {}
    for number, audience in ((1, "1:1"), (2, "9000:1:0.01")):
        client.updates.make_player_packs(TITLE, number)
        laid_out(replace(world.services, layout=LayoutRules(audience=read_audience(audience))))
        choice = client.updates.player_packs(TITLE, number).choice
        assert choice is not None
        assert all(w.allowed for w in choice.ways)
        chosen[number] = next(w for w in choice.ways if w.chosen)
        assert chosen[number].waits <= 1.01 * min(w.waits for w in choice.ways)
    assert chosen[1].size < chosen[2].size or chosen[1].unpacking >= chosen[2].unpacking
    assert chosen[2].codec == "zstd"


def test_devices_say_whom_they_are_made_for(client: Client, world: World, tmp_path: Path) -> None:
    """Their lines make the audience, and what they chose says which depots may share a frame."""
    add_key(client)
    import_title(client, DEPOTS)
    folder = make_folder(tmp_path / "source", 300_000)
    for name in ("en", "fi"):
        (folder / f"locale/{name}.json").write_bytes(words(400_000, len(name)) + name.encode())
    for quality in ("fine", "plain"):
        (folder / "data" / quality).mkdir()
        (folder / "data" / quality / "bog.tex").write_bytes(quality.encode() * 1000)
    build(client, folder, tmp_path / "state")
    for number in range(20):
        client.devices.register(TITLE, NewDevice(name=f"loft-{number}", platform="linux", channel="studio"))
        depots = ["base", "english", "finnish", "fine"] if number else ["base", "english", "finnish", "plain"]
        # Handhelds among those with slow lines unpack a tenth of what the others do, who say nothing of it.
        slow = round(0.1 * unpacks(CLOCK, parallel.WORKERS), 3) if number % 4 == 1 else 0.0
        report = DeviceReport(build=1, depots=depots, rate=8.0 if number % 2 else 90.0, unpacks=slow)
        client.devices.report(TITLE, f"loft-{number}", report)
    client.updates.make_player_packs(TITLE, 1)
    laid_out(world.services)
    choice = client.updates.player_packs(TITLE, 1).choice
    assert choice is not None
    classes = read_audience(choice.audience).classes
    assert ([(c.rate, c.weight) for c in classes], choice.devices) == ([(8, 5), (8, 5), (90, 10)], 20)
    assert classes[0].speed < 0.3 < classes[1].speed == classes[2].speed == 1
    assert choice.depots == [["base", "english", "fine", "finnish"], ["base", "english", "finnish", "plain"]]
    with world.services.db.transaction() as session:
        packs = len(list(session.scalars(select(LayoutPackRow.pack_digest))))
    assert packs == 3, "both languages with the base, each quality by itself"
    for languages, quality in ((("en", "fi"), "fine"), (("en", "fi"), "plain"), (("fi",), "plain")):
        on = device(client, tmp_path / f"{quality}-{len(languages)}")
        query = DepotPlanQuery(languages=",".join(languages), quality=quality)
        report = take(client, on, 1, Choice(languages=languages, quality=quality))
        assert report.downloaded + report.metadata == client.updates.depot_plan(TITLE, 1, query).download
        assert on.verify() == []
        assert set(report.depots) == {d.name for d in client.updates.depot_plan(TITLE, 1, query).depots if d.taken}


def test_a_profile_for_small_devices_has_small_frames(client: Client, world: World, tmp_path: Path) -> None:
    add_key(client)
    import_title(client, DOCUMENT.replace("[content]\n", "[content]\nplayer_frame = 1\n"))
    build(client, make_folder(tmp_path / "source", 200_000), tmp_path / "state")
    client.updates.make_player_packs(TITLE, 1)
    laid_out(world.services)
    choice = client.updates.player_packs(TITLE, 1).choice
    assert choice is not None
    assert {w.frame for w in choice.ways if w.allowed} == {1}


def test_an_old_device_is_told_of_small_frames_alone(client: Client, world: World, three: Path) -> None:
    place(client, 1)
    laid_out(world.services)
    tree = making._content(world.services, _build(world, 1)).tree
    at = f"/api/v1/titles/{TITLE}/builds/1/locations"
    whole = client.fetch(f"{at}?version=3")
    old = client.fetch(at)
    from rampa.operations.content.stored_trees import build_tree

    new = build_tree(world.services, _build(world, 1))
    assert len(locations_format.decode(whole, new).delivery) == len(tree.chunks)
    assert not len(locations_format.decode(old, new).delivery)
    assert locations_format.decode(old, new).chunks.keys() == locations_format.decode(whole, new).chunks.keys()


def test_sealed_content_stays_sealed_in_them(client: Client, world: World, tmp_path: Path) -> None:
    add_key(client)
    import_title(client, ENCRYPTED)
    folder = make_folder(tmp_path / "source", 300_000)
    secret = words(1_500_000, 3)
    (folder / "data/secret.txt").write_bytes(secret)
    build(client, folder, tmp_path / "state")
    place(client, 1)
    assert laid_out(world.services) == 1
    with world.services.db.transaction() as session:
        packs = list(session.scalars(select(LayoutPackRow.pack_digest)))
    assert packs
    for pack in packs:
        data = world.services.store.read_pack(pack, 0, 1 << 30)
        assert data[:4] == bytes.fromhex("5c2a4d18"), "frames of a sealed depot begin as encrypted ones do"
    on = device(client, tmp_path / "device")
    with refuses("content.locked", "is sealed"):
        take(client, on, 1)
    client.signing.unseal(TITLE, 1)
    report = take(client, on, 1)
    assert (on.root / "current/tree/data/secret.txt").read_bytes() == secret
    assert report.downloaded + report.metadata == client.updates.player_packs(TITLE, 1).fresh
    # The next one, plain and with the same content, does not need a key that is not its own.
    change_folder(folder)
    build(client, folder, tmp_path / "state")
    client.signing.unseal(TITLE, 2)
    take(client, on, 2)
    assert on.verify() == []


def test_they_are_collected_some_days_after_their_build_was_replaced(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    place(client, 1)
    laid_out(world.services)
    place(client, 2)
    laid_out(world.services)
    collection.collect(world.services, young=NOW, grace=NOW)
    assert client.updates.player_packs(TITLE, 1).state == "ready"
    kept = {k.name: k for k in client.store.usage().players}
    assert kept["peatlight#2"].live_on == [EVERYBODY]
    assert kept["peatlight#1"].live_on == []
    assert kept["peatlight#1"].until
    assert kept["peatlight#1"].size > 100_000
    with world.services.db.transaction() as session:
        ago = world.services.now() - dt.timedelta(days=8)
        session.execute(update(PlacementRow).where(PlacementRow.ended_at.is_not(None)).values(ended_at=ago))
        session.execute(update(LayoutRow).values(created_at=ago))
    was = client.updates.player_packs(TITLE, 1)
    for _ in range(2):
        collection.collect(world.services, young=NOW, grace=NOW)
    assert client.updates.player_packs(TITLE, 1).state == "none"
    assert client.updates.player_packs(TITLE, 2).state == "ready"
    with world.services.db.transaction() as session:
        left = set(session.scalars(select(PackRow.digest).where(PackRow.for_players.is_(True))))
        assert left == set(session.scalars(select(LayoutPackRow.pack_digest)))
    assert travels(client, tmp_path / "device", 0, 1) == client.updates.player_packs(TITLE, 1).fresh
    assert was.fresh <= client.updates.player_packs(TITLE, 1).fresh
    with begin(world.services) as uow:
        assert forget_layouts(uow) == []


def test_a_damaged_or_missing_one_is_made_up_for_by_small_frames(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    place(client, 1)
    laid_out(world.services)
    with world.services.db.transaction() as session:
        pack = session.scalars(select(LayoutPackRow.pack_digest)).first()
    assert pack
    world.services.store.remove_pack(pack)
    client.store.check(fix=True)
    from rampa.operations.store import check

    check.go_on(world.services, 1)
    travels(client, tmp_path / "device", 0, 1)


def _build(world: World, number: int) -> BuildRow:
    with world.services.db.transaction() as session:
        row = session.scalar(select(BuildRow).where(BuildRow.number == number))
        assert row is not None
        _ = row.depots, row.content
        return row


def _layout_rules(world: World, **words: Any) -> None:
    object.__setattr__(world.services, "layout", replace(world.services.layout, **words))


def _failing(services: Services, after: int, written: bool = False) -> Services:
    return replace(services, store=cast(ContentStore, _Failing(services.store, after, written)))


class _Failing:
    """A store whose disk is full after so many packs; `written`: after the bytes of the next one."""

    def __init__(self, store: ContentStore, after: int, written: bool) -> None:
        self._store, self._left, self._written = store, after, written

    def __getattr__(self, name: str) -> object:
        return getattr(self._store, name)

    def put_pack(self, digest: bytes, pieces: Iterable[bytes], limit: int, check: Callable[[Path, int], None]) -> int:
        if self._left or self._written:
            size = self._store.put_pack(digest, pieces, limit, check)
        if not self._left:
            raise OSError(28, "the disk is full")
        self._left -= 1
        return size
