"""Updates: what the matrix says is what devices download; differences, depots that are chosen, encrypted content."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from sqlalchemy import select

from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.content.depots.choice import Choice
from rampa.core.content.patch import maker
from rampa.core.content.patch.sets import Budget
from rampa.core.content.scan.files import read_tree
from rampa.core.content.select import selection
from rampa.core.content.select.selection import ContentRules, Pattern
from rampa.core.install.install import Installation
from rampa.db.content import ChunkRow, DifferenceSetRow, FrameRow, PackRow
from rampa.operations.base import begin
from rampa.operations.content import arrival
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.operations.content.stored_trees import build_tree, find_ready
from rampa.operations.signing import content_keys
from rampa.operations.store import check, collection, repack
from rampa.operations.updates import difference_set
from rampa.schema.builds.builds import NewBuild
from rampa.schema.store import CollectIn
from rampa.schema.updates import DepotPlanQuery
from rampa.system import CLOCK
from tests.conftest import Begun, World
from tests.core.content.pack.test_filters import sound
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder, noise, words

TITLE = "peatlight"
NOW = dt.timedelta(0)
ENCRYPTED = DOCUMENT.replace("[content]\n", "[content]\nencryption = true\n").replace(
    'launch.entry = "bin/peatlight"', 'launch.entry = "bin/peatlight"\nlaunch.reads_encrypted = true'
)
DEPOTS = (
    DOCUMENT[: DOCUMENT.index("[depots.base]")]
    + """
[depots.base]
not = ["locale/", "data/fine/", "data/plain/"]

[depots.english]
only = ["locale/en.json"]
language = "en"

[depots.finnish]
only = ["locale/fi.json"]
language = "fi"

[depots.fine]
from = "data/fine"
to = "data/textures"
quality = "fine"

[depots.plain]
from = "data/plain"
to = "data/textures"
quality = "plain"
"""
)


needs_kernel = pytest.mark.skipif(not maker.available(), reason="there is no C compiler here")


def device(client: Client, root: Path, **more: bool) -> Installation:
    title = client.titles.get(TITLE)
    return Installation(root, title.identifier, bytes.fromhex(title.manifest_key), CLOCK, **more)


def update(client: Client, on: Installation, number: int, choice: Choice = Choice()):  # type: ignore[no-untyped-def]
    return on.update(client.builds.statement(TITLE, number), HttpDelivery(client, TITLE, number), choice=choice)


def place(client: Client, number: int) -> None:
    client.channels.place(TITLE, "studio", number, client.channels.preview(TITLE, "studio", number).etag)


def carried_out(world: World) -> int:
    """Does what the queue's worker does; returns how many sets were waiting."""
    with world.services.db.transaction() as session:
        waiting = [
            (str(r.new_id), str(r.old_id)) for r in session.scalars(select(DifferenceSetRow)) if r.state == "waiting"
        ]
    for new, old in waiting:
        difference_set.make(world.services, new, old)
    return len(waiting)


@pytest.fixture
def three(client: Client, begun: Begun, tmp_path: Path) -> Path:
    """Three builds: a changed folder each, one large file edited in its middle."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 1_500_000)
        big = noise(600_000, 9)
        (folder / "data/big.arc").write_bytes(big)
        build(client, folder, tmp_path / "state")
        change_folder(folder)
        (folder / "data/big.arc").write_bytes(big[:300_000] + b"a lantern" + big[300_000:])
        build(client, folder, tmp_path / "state")
        (folder / "data/big.arc").write_bytes(big[:100_000] + b"fog" + big[100_000:])
        build(client, folder, tmp_path / "state")

    begun(fill)
    return tmp_path / "source"


@needs_kernel
def test_the_matrix_is_what_devices_download_with_and_without_differences(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    plain = {(c.old, c.new): c for c in client.updates.matrix(TITLE, "linux").cells}
    assert set(plain) == {(0, 1), (0, 2), (0, 3), (1, 2), (1, 3), (2, 3)}
    for old, new in ((1, 2), (2, 3)):
        assert client.updates.make_differences(TITLE, old, new).state == "waiting"
    assert carried_out(world) == 2
    cells = {(c.old, c.new): c for c in client.updates.matrix(TITLE, "linux").cells}
    for (old, new), cell in cells.items():
        on = device(client, tmp_path / f"device-{old}-{new}")
        if old:
            update(client, on, old)
        before = sum(f.stat().st_size for f in on.root.rglob("*") if f.is_file())
        report = update(client, on, new)
        assert report.downloaded + report.metadata == cell.download, (old, new)
        assert report.written == cell.written
        assert cell.peak_disk >= before + report.written - 100_000 * bool(old)
        assert on.verify() == []
    for pair in ((1, 2), (2, 3)):
        assert cells[pair].plain == plain[pair].download
        assert cells[pair].download < plain[pair].download / 2
    assert cells[1, 3] == plain[1, 3]


@needs_kernel
def test_placing_asks_for_differences_from_what_is_live(client: Client, world: World, three: Path) -> None:
    place(client, 1)
    assert carried_out(world) == 0
    place(client, 2)
    assert client.updates.differences(TITLE, 1, 2).state == "waiting"
    assert carried_out(world) == 1
    made = client.updates.differences(TITLE, 1, 2)
    assert (made.state, made.within_budget) == ("ready", True)
    assert made.download < made.plain
    assert client.updates.differences(TITLE, 1, 3).state == "none"


@needs_kernel
@pytest.mark.parametrize("budget", [Budget(seconds=0), Budget(size=0)])
def test_no_budget_makes_no_differences(client: Client, world: World, three: Path, budget: Budget) -> None:
    client.updates.make_differences(TITLE, 1, 2)
    carried_out(replace(world, services=replace(world.services, budget=budget)))
    assert client.updates.differences(TITLE, 1, 2).state == "skipped"


@needs_kernel
def test_a_device_whose_files_were_touched_takes_plain_chunks(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    client.updates.make_differences(TITLE, 1, 2)
    carried_out(world)
    on = device(client, tmp_path / "device")
    update(client, on, 1)
    touched = on.root / "current/tree/data/big.arc"
    data = bytearray(touched.read_bytes())
    data[10] ^= 1
    data[310_000] ^= 1
    touched.write_bytes(data)
    update(client, on, 2)
    assert on.verify() == []


@needs_kernel
def test_damaged_differences_do_no_harm(client: Client, world: World, three: Path, tmp_path: Path) -> None:
    client.updates.make_differences(TITLE, 1, 2)
    carried_out(world)
    with world.services.db.transaction() as session:
        pack = session.scalar(select(DifferenceSetRow.pack))
    assert pack
    file = world.services.store.pack_file(pack)
    assert file
    file.write_bytes(bytes(b ^ 0x55 for b in file.read_bytes()))
    on = device(client, tmp_path / "device")
    update(client, on, 1)
    update(client, on, 2)
    assert on.verify() == []


def test_two_builds_by_depot_say_which_files_cost_most_and_why(client: Client, three: Path, tmp_path: Path) -> None:
    found = client.updates.compare_depots(TITLE, 1, 2)
    depots = {d.name: d for d in found.depots}
    assert depots["languages"].changed == 1
    assert depots["base"].added == 1
    assert found.worst[-1].reason == "new"
    assert sum(w.download for w in found.worst) <= found.plain, "the files never add up to more than the whole"
    dear = {w.path: w for w in found.worst}
    assert dear["data/thaw.bin"].reason == "new"
    assert dear["data/big.arc"].reason == "packed-before" or dear["data/big.arc"].shared > 0
    with refuses("build.unknown"):
        client.updates.compare_depots(TITLE, 1, 99)


def test_a_device_gets_the_depots_that_it_chose(client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client, DEPOTS)
    folder = make_folder(tmp_path / "source")
    for quality, size in (("fine", 300_000), ("plain", 40_000)):
        (folder / "data" / quality).mkdir()
        (folder / "data" / quality / "bog.tex").write_bytes(noise(size, len(quality)))
    build(client, folder, tmp_path / "state")
    assert client.channels.preview(TITLE, "studio", 1).possible, (
        "qualities deliver the same path, and are never together"
    )
    plan = client.updates.depot_plan(TITLE, 1, DepotPlanQuery(languages="fi", quality="plain"))
    assert [d.name for d in plan.depots if d.taken] == ["base", "finnish", "plain"]
    on = device(client, tmp_path / "device")
    report = update(client, on, 1, Choice(languages=("fi",), quality="plain"))
    tree = on.root / "current/tree"
    assert report.downloaded + report.metadata == plan.download
    assert (tree / "data/textures/bog.tex").stat().st_size == 40_000
    assert sorted(p.name for p in (tree / "locale").iterdir()) == ["fi.json"]
    update(client, on, 1, Choice(languages=("en", "fi"), quality="fine"))
    assert (tree / "data/textures/bog.tex").stat().st_size == 300_000
    assert sorted(p.name for p in (tree / "locale").iterdir()) == ["en.json", "fi.json"]
    assert on.verify() == []


def test_encrypted_content_opens_with_its_release(client: Client, world: World, tmp_path: Path) -> None:
    add_key(client)
    import_title(client, ENCRYPTED)
    folder = make_folder(tmp_path / "source")
    secret = words(50_000, 3)
    (folder / "data/secret.txt").write_bytes(secret)
    build(client, folder, tmp_path / "state")
    packs = [p for p in (tmp_path / "store/packs").rglob("*.pack")]
    assert packs
    with world.services.db.transaction() as session:
        plain = {f.pack_digest for f in session.scalars(select(FrameRow)) if f.key is None}
    from rampa.core.content.pack import pack as pack_format

    for path in packs:
        if bytes.fromhex(path.stem) in plain:
            continue  # the bundle, which is delivered by hand
        data = path.read_bytes()
        for frame in pack_format.read_index(data, len(data)):
            with refuses("pack.damaged"):
                pack_format.decompress(data[frame.offset : frame.offset + frame.stored], frame.raw)
    on = device(client, tmp_path / "device")
    with refuses("content.locked", "is sealed"):
        update(client, on, 1)
    assert on.current() is None
    keys = client.signing.content_keys(TITLE, 1)
    assert (keys.unsealing_key, len(keys.keys)) == ("", 2)
    released = client.signing.unseal(TITLE, 1)
    assert released.unsealing_key
    assert any(e.act == "content.unseal" for e in client.events.all())
    update(client, on, 1)
    assert (on.root / "current/tree/data/secret.txt").read_bytes() == secret
    # The next build shares its chunks, has keys of its own, and is closed again.
    change_folder(folder)
    second = build(client, folder, tmp_path / "state")
    assert second.content.present > 0
    with refuses("content.locked", "is sealed"):
        update(client, on, 2)
    assert client.signing.unseal(TITLE, 2).unsealed_at
    update(client, on, 2)
    assert on.verify() == []


def test_encrypting_and_packing_anew_keep_how_content_was_packed(client: Client, world: World, tmp_path: Path) -> None:
    """Frames that go as a whole keep their filter; what is installed is what was built."""
    from rampa.core.content.pack import encryption, filters
    from rampa.core.content.pack.source import Source
    from rampa.operations.content.frames import content_key

    add_key(client)
    import_title(
        client, ENCRYPTED.replace("encryption = true", 'encryption = true\npacking = { "*.wav" = "9 filtered" }')
    )
    folder = make_folder(tmp_path / "source")
    (folder / "data/horn.wav").write_bytes(sound(4))
    build(client, folder, tmp_path / "state")
    with world.services.db.transaction() as session:
        frames = [(f.pack_digest, f.offset, f.stored, f.raw, f.key) for f in session.scalars(select(FrameRow)) if f.key]
    filtered = 0
    for pack, offset, stored, raw, key in frames:
        body = world.services.store.read_pack(pack, offset, stored)[8:]
        opened = AESGCM(content_key(world.services, key)).decrypt(body[:12], body[12:], encryption._about(key, raw))
        filtered += filters.unwrap(Source.of(opened), raw) is not None
    assert filtered
    client.signing.unseal(TITLE, 1)
    on = device(client, tmp_path / "device")
    update(client, on, 1)
    assert (on.root / "current/tree/data/horn.wav").read_bytes() == sound(4)


def test_a_plain_build_has_no_key_to_give_out(client: Client, three: Path) -> None:
    with refuses("content.plain", "no encrypted depot"):
        client.signing.unseal(TITLE, 1)
    assert client.signing.content_keys(TITLE, 1).keys == []


def test_a_check_names_what_is_broken_and_mending_lets_it_come_again(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    started = client.store.check()
    check.go_on(world.services, 1)
    done = client.store.latest_check()
    assert (started.state, done.state, done.problems, done.packs_done) == ("running", "done", [], done.packs)
    with world.services.db.transaction() as session:
        broken = session.scalars(select(PackRow.digest).order_by(PackRow.created_at)).first()
    assert broken
    file = world.services.store.pack_file(broken)
    assert file
    data = bytearray(file.read_bytes())
    data[40] ^= 1
    file.write_bytes(data)
    client.store.check(fix=True)
    check.go_on(world.services, 2)
    found = client.store.latest_check()
    hurt = [p for p in found.problems if p.what == "pack"]
    assert [p.name for p in hurt] == [broken.hex()]
    assert "peatlight#1" in hurt[0].builds
    assert any(p.what == "build" for p in found.problems)
    build(client, three, tmp_path / "state")
    client.store.check()
    check.go_on(world.services, 3)
    left = {p.name for p in client.store.latest_check().problems}
    assert "peatlight#4" not in left


def test_a_cancelled_check_stays_where_it_was(client: Client, world: World, three: Path) -> None:
    client.store.check()
    assert client.store.cancel_check().state == "cancelled"
    check.go_on(world.services, 1)
    assert client.store.latest_check().packs_done == 0


def test_collecting_takes_two_phases_and_spares_what_an_upload_counts_on(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    from rampa.schema.builds.changes import RetentionPolicy

    client.builds.set_retention(TITLE, RetentionPolicy(keep_newest=1, keep_days=0))
    client.builds.apply_retention(TITLE, [1, 2])
    assert collection.preview(world.services).packs_in_all == 0, "what arrived lately is left alone"
    seen = client.store.preview_collect(CollectIn(young_hours=0, grace_hours=0))
    assert seen.condemned > 0
    first = collection.collect(world.services, None, NOW, NOW)
    assert (first.removed, first.condemned) == (0, seen.condemned)
    # An upload asks what is missing, and is told that a condemned pack holds it: from then on it must stay.
    build(client, three, tmp_path / "state")
    open_build = client.builds.open(TITLE, NewBuild(profile="linux-release"))
    with world.services.db.transaction() as session:
        condemned = set(session.scalars(select(PackRow.digest).where(PackRow.condemned_at.is_not(None))))
        rows = (
            select(ChunkRow.digest)
            .join(FrameRow, FrameRow.id == ChunkRow.frame_id)
            .where(FrameRow.pack_digest.in_(condemned))
        )
        wanted = session.scalars(rows).first()
    assert wanted
    assert arrival.missing_chunks(world.services, TITLE, open_build.number, [wanted.hex()]) == []
    with world.services.db.transaction() as session:
        assert set(session.scalars(select(PackRow.digest).where(PackRow.condemned_at.is_not(None)))) < condemned
    collection.collect(world.services, None, NOW, dt.timedelta(hours=1))
    second = collection.collect(world.services, None, NOW, NOW)
    assert second.removed > 0
    for number in (3, 4):
        on = device(client, tmp_path / f"device-{number}")
        update(client, on, number)
        assert on.verify() == []
    assert build_tree(world.services, find_ready(world.services, TITLE, 3)).size > 0


def test_a_collection_waits_for_a_backup(client: Client, world: World, three: Path) -> None:
    until = collection.hold(world.services, dt.timedelta(hours=1))
    with refuses("store.held", "backup"):
        collection.collect(world.services, None, NOW, NOW)
    collection.let_go(world.services, until)
    collection.collect(world.services, None, NOW, NOW)


def test_packs_are_packed_anew_and_devices_notice_nothing(
    client: Client, world: World, three: Path, tmp_path: Path
) -> None:
    from rampa.schema.builds.changes import RetentionPolicy

    on = device(client, tmp_path / "device")
    update(client, on, 2)
    client.updates.matrix(TITLE, "linux")  # locations are kept now, and must not be stale afterwards
    client.builds.set_retention(TITLE, RetentionPolicy(keep_newest=1, keep_days=0))
    client.builds.apply_retention(TITLE, [1, 2])
    seen = repack.preview(world.services, 0.95)
    assert seen.packs > 0
    done = repack.repack(world.services, world.actor(), 0.95)
    assert done.made > 0
    assert done.made_size < seen.size
    for _ in range(2):
        collection.collect(world.services, None, NOW, NOW)
    update(client, on, 3)
    assert on.verify() == []
    update(client, device(client, tmp_path / "fresh"), 3)
    client.store.check()
    check.go_on(world.services, 1)
    assert client.store.latest_check().problems == []
    usage = client.store.usage()
    assert usage.titles[0].builds == 1
    assert 0 < usage.needed <= usage.size
    assert usage.growth[-1].size == usage.size


def test_content_folder_by_folder(client: Client, three: Path) -> None:
    from rampa.schema.content import ContentFolder

    at = f"/api/v1/titles/{TITLE}/builds/3/content"
    top = client.connection.get(ContentFolder, at)
    assert {f.name for f in top.folders} >= {"bin", "data", "locale"}
    assert sum(p.size for p in top.map if p.inside) == top.size
    inside = client.connection.get(ContentFolder, at, folder="data")
    assert inside.rows[0].size == max(r.size for r in inside.rows)
    with refuses("folder.unknown", "no folder"):
        client.connection.get(ContentFolder, at, folder="nowhere")


def test_content_that_is_not_there_is_not_found(client: Client, world: World, three: Path) -> None:
    tree = read_tree(selection.select(three, ContentRules((Pattern("*", "all"),), ())))
    source = StoredFileBytes(world.services, tree)
    path = tree.files.paths[0]
    assert source.read(path, 0, 10) == (three / path).read_bytes()[:10]
    with refuses("file.unknown"):
        source.read("data/nowhere", 0, 1)
    with refuses("manifest.unknown"):
        HttpDelivery(client, TITLE, 1).manifest(bytes(32))
    with begin(world.services) as uow, refuses("content.key"):
        content_keys._build_of(uow, bytes(16))
