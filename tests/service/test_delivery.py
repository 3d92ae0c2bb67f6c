"""A title's trust and its delivery as files: ceremonies, what is written where, what stays private, what is told in time."""

from __future__ import annotations

import base64
import datetime as dt
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import delete, select, text, update

from rampa.client import Client
from rampa.core.content.manifest import manifest
from rampa.core.content.pack.pack import read_index
from rampa.core.errors import Damaged, Unavailable
from rampa.core.placement.channels import Audience
from rampa.core.trust.terms import TrustRole, channel_role
from rampa.db import LayoutPackRow, TrustKeyRow, find_build, find_channel
from rampa.operations.base import begin
from rampa.operations.delivery.files import open_closed_file
from rampa.operations.delivery.origins import look_at_origins
from rampa.operations.delivery.publish import publish_due
from rampa.operations.trust.alarm import tell_owners
from rampa.operations.trust.standing import get_trust
from rampa.schema.channels import ChannelChange, NewChannel
from rampa.schema.common import Role
from rampa.schema.delivery import OriginIn
from rampa.store.outbound import asker
from rampa.store.reach import Reach
from tests.conftest import Begun, World
from tests.delivering import (
    CHANNEL,
    IDENTIFIER,
    TITLE,
    MirrorServer,
    draft,
    fill,
    hold_ceremony,
    install,
    new_device,
    origins,
    place,
    signed,
    update_placed,
    written,
)
from tests.refusals import refuses
from tests.samples import DOCUMENT, import_title
from tests.service.test_player_packs import laid_out
from tests.service.test_webhooks import HERE, target, with_status

LETTERS = text("select id from procrastinate_jobs where task_name = 'send_letter'")


@pytest.fixture
def titled(world: World, client: Client, begun: Begun, tmp_path: Path) -> World:
    def delivered() -> None:
        fill(client, world.services, tmp_path)

    begun(delivered)
    return world


def test_a_device_installs_and_updates_from_files_alone(titled: World, client: Client, tmp_path: Path) -> None:
    written(client, tmp_path / "mirror")
    before = {p: p.stat().st_ino for p in (tmp_path / "mirror").rglob("*.*")}
    server = MirrorServer(tmp_path / "mirror")
    device = new_device(client, tmp_path / "desk")
    places = origins({"mirror.test": server})
    assert install(device, places) == 1
    update_placed(client, titled.services)
    written(client, tmp_path / "mirror")
    touched = {p.name for p, inode in before.items() if p.is_file() and p.stat().st_ino != inode}
    assert touched == {"timestamp.json", "written.json"}, "only what the update brought is written"
    server.asked.clear()
    assert install(device, places) == 2
    assert any("-" in n for n in server.asked if n.startswith("manifests/")), "the manifest came as a difference"
    server.asked.clear()
    assert install(device, places) == 2
    assert server.asked[:2] == ["metadata/2.root.json", "metadata/timestamp.json"]
    assert len(server.asked) == 3, "of the rest only the statement: what its line has is what it has"


def test_packs_for_players_are_among_the_files(titled: World, client: Client, tmp_path: Path) -> None:
    """Those of the build; of another one only what everybody may read."""
    services = titled.services
    for number in (1, 3):
        client.updates.make_player_packs(TITLE, number)
        laid_out(services)
    with begin(services) as uow:
        own, closed = (
            set(uow.session.scalars(select(LayoutPackRow.pack_digest).where(LayoutPackRow.build_id == build.id)))
            for build in (find_build(uow.session, TITLE, number) for number in (1, 3))
        )
    publish_due(services)
    written(client, tmp_path / "mirror")
    server = MirrorServer(tmp_path / "mirror")
    assert install(new_device(client, tmp_path / "desk"), origins({"mirror.test": server})) == 1
    asked = {bytes.fromhex(n[6:70]) for n in server.asked if n.startswith("packs/")}
    assert asked == own
    place(client, 2)
    publish_due(services)
    written(client, tmp_path / "mirror")
    there = {bytes.fromhex(p.stem) for p in (tmp_path / "mirror").rglob("*.pack")}
    assert own <= there
    assert not closed & there
    server.asked.clear()
    assert install(new_device(client, tmp_path / "loft", "b2"), origins({"mirror.test": server})) == 2
    assert {bytes.fromhex(n[6:70]) for n in server.asked if n.startswith("packs/")} & own, "what the two builds share"


def test_files_hold_while_the_service_is_away(titled: World, client: Client, tmp_path: Path) -> None:
    """An hour, a night, and as long as the timestamp does."""
    written(client, tmp_path / "mirror")
    places = origins({"mirror.test": MirrorServer(tmp_path / "mirror")})
    now = dt.datetime.now(dt.UTC)
    for hours in (1, 12, 41):
        device = new_device(client, tmp_path / f"after-{hours}")
        assert install(device, places, now + dt.timedelta(hours=hours)) == 1
    with refuses("trust.expired"):
        install(device, places, now + dt.timedelta(hours=49))
    assert device.device.verify(lambda _: None) == [], "what is installed is played on"


def test_a_second_writing_fetches_nothing(titled: World, client: Client, tmp_path: Path) -> None:
    written(client, tmp_path / "mirror")
    again = written(client, tmp_path / "mirror")
    assert (again.written, again.size, again.removed) == (0, 0, 0)
    (tmp_path / "mirror" / IDENTIFIER / "written.json").unlink()
    assert written(client, tmp_path / "mirror").written == 0, "what is there is not fetched again"


def test_what_is_for_testers_is_not_among_the_files(titled: World, client: Client, tmp_path: Path) -> None:
    written(client, tmp_path / "mirror")
    names = {
        str(p.relative_to(tmp_path / "mirror" / IDENTIFIER)) for p in (tmp_path / "mirror").rglob("*") if p.is_file()
    }
    address = client.delivery.closed_address(TITLE, "testers").address
    path = address.removeprefix("http://rampa.test")
    http = titled.app.test_client()  # type: ignore[attr-defined]
    with begin(titled.services) as uow:
        role = channel_role(find_channel(uow.session, TITLE, "testers").id.hex)
    closed = f"metadata/1.{role}.json"
    assert closed not in names
    assert http.get(f"{path}/{IDENTIFIER}/{closed}").status_code == 200
    with refuses("delivery.no-file"):
        client.fetch(f"/api/v1/delivery/{IDENTIFIER}/{closed}")
    wrong = path[:-4] + ("AAAA" if path[-4:] != "AAAA" else "BBBB")
    assert http.get(f"{wrong}/{IDENTIFIER}/{closed}").json["code"] == "delivery.foreign"
    later = dt.datetime.now(dt.UTC) + dt.timedelta(minutes=6)
    with refuses("delivery.over"):
        open_closed_file(
            replace(titled.services, now=lambda: later), path.rpartition("/")[2], IDENTIFIER, "metadata/timestamp.json"
        )


def test_packs_for_everybody_hold_nothing_of_a_closed_channel(titled: World, client: Client, tmp_path: Path) -> None:
    written(client, tmp_path / "mirror")
    tree = manifest.decode(client.fetch(f"/api/v1/titles/{TITLE}/builds/1/depots/base/manifest")).tree
    more = manifest.decode(client.fetch(f"/api/v1/titles/{TITLE}/builds/1/depots/languages/manifest")).tree
    shipped = {*tree.chunks.digests, *more.chunks.digests}
    packs = list((tmp_path / "mirror" / IDENTIFIER / "packs").iterdir())
    found = {c.digest for p in packs for f in read_index(p.read_bytes(), p.stat().st_size) for c in f.chunks}
    assert found == shipped


def test_a_withdrawn_device_s_address_is_worth_nothing(titled: World, client: Client, tmp_path: Path) -> None:
    with titled.client(Role.DEVICE) as device:
        address = device.delivery.closed_address(TITLE, "studio").address.removeprefix("http://rampa.test")
        with refuses("device.scope"):
            device.delivery.closed_address(TITLE, "testers")
    http = titled.app.test_client()  # type: ignore[attr-defined]
    at = f"{address}/{IDENTIFIER}/metadata/timestamp.json"
    answer = http.get(at)
    assert answer.status_code == 200
    assert answer.headers["Cache-Control"] == "private, no-store"
    (name,) = (d.name for d in client.devices.all(TITLE))
    client.devices.remove(TITLE, name)
    assert http.get(at).status_code == 404


def test_only_the_owner_holds_ceremonies(titled: World, client: Client) -> None:
    with titled.client(Role.ENGINEER) as engineer, refuses("role.denied"):
        draft(engineer)
    with refuses("trust.unsigned"):
        client.delivery.publish_root(TITLE, signed(draft(client), "Vendla"))
    assert client.delivery.trust(TITLE).root.version == 1  # type: ignore[union-attr]


def test_a_draft_is_of_its_title_and_needs_the_service_s_keys(titled: World, client: Client) -> None:
    import_title(client, DOCUMENT.replace("quillback.peatlight", "quillback.pocket").replace('"Peatlight"', '"Pocket"'))
    with refuses("trust.other-title"):
        client.delivery.publish_root("pocket", signed(draft(client), "Vendla", "Aino"))
    with refuses("trust.none"):
        client.delivery.files("pocket")
    with begin(titled.services) as uow:
        uow.session.execute(delete(TrustKeyRow).where(TrustKeyRow.role == TrustRole.SNAPSHOT))
    with refuses("trust.key-gone"):
        draft(client)
    hold_ceremony(client, new_keys=True)


def test_origins_are_looked_at_from_outside(titled: World, client: Client) -> None:
    client.delivery.add_origin(TITLE, OriginIn(name="quay", address="https://files.quillback.example/x/"))
    client.delivery.add_origin(TITLE, OriginIn(name="bank", address="https://bank.quillback.example", priority=1))
    stamp = base64.b64decode(client.delivery.files(TITLE).timestamp)

    def ask(address: str, limit: int) -> bytes:
        assert address.endswith(f"/{IDENTIFIER}/metadata/timestamp.json")
        if "bank" in address:
            raise Unavailable("origin.silent", "it does not answer")
        return stamp if "files" in address else b""

    look_at_origins(titled.services, ask)
    bank, quay = client.delivery.origins(TITLE)
    assert (quay.said, quay.good_at is not None, bank.said) == ("", True, "it does not answer.")
    later = dt.datetime.now(dt.UTC) + dt.timedelta(minutes=6)
    look_at_origins(replace(titled.services, now=lambda: later), lambda address, limit: b"older")
    assert all("Write it again" in o.said for o in client.delivery.origins(TITLE))
    with refuses("origin.unknown"):
        client.delivery.remove_origin(TITLE, "sluice")
    for n in range(18):
        client.delivery.add_origin(TITLE, OriginIn(name=f"o-{n}", address=f"https://o{n}.quillback.example"))
    with refuses("origin.many"):
        client.delivery.add_origin(TITLE, OriginIn(name="more", address="https://more.quillback.example"))


def test_what_is_asked_of_an_origin_is_bounded() -> None:
    ask = asker(HERE)
    with target(with_status(200)) as server:
        assert ask(server.address, 4) == b"fog\n"
        with refuses("origin.endless"):
            ask(server.address, 3)
        with refuses("webhook.address"):
            ask("file:///etc/passwd", 10)
        with refuses("source.private"):
            asker(Reach())(server.address, 10)
    with target(with_status(503)) as server, refuses("origin.failed"):
        ask(server.address, 10)
    with refuses("origin.silent"):
        ask(server.address, 10)


def test_a_place_of_another_title_is_not_written_over(titled: World, client: Client, tmp_path: Path) -> None:
    written(client, tmp_path / "mirror")
    state = tmp_path / "mirror" / IDENTIFIER / "written.json"
    state.write_text('{"identifier": "example.quillback.pocket", "change": 3}')
    with refuses("delivery.other"):
        written(client, tmp_path / "mirror")


def test_new_keys_by_a_ceremony_are_followed(titled: World, client: Client, tmp_path: Path) -> None:
    device = new_device(client, tmp_path / "desk")
    written(client, tmp_path / "mirror")
    places = origins({"mirror.test": MirrorServer(tmp_path / "mirror")})
    assert install(device, places) == 1
    hold_ceremony(client, new_keys=True)
    update_placed(client, titled.services)
    written(client, tmp_path / "mirror")
    assert install(device, places) == 2
    trust = client.delivery.trust(TITLE)
    assert trust.root is not None
    assert trust.root.version == 2
    assert install(new_device(client, tmp_path / "sofa"), places) == 2


def test_keys_that_are_gone_are_said_and_replaced(titled: World, client: Client, tmp_path: Path) -> None:
    device = new_device(client, tmp_path / "desk")
    written(client, tmp_path / "mirror")
    places = origins({"mirror.test": MirrorServer(tmp_path / "mirror")})
    with begin(titled.services) as uow:
        gone = update(TrustKeyRow).where(TrustKeyRow.role == TrustRole.TIMESTAMP).values(sealed=b"not a secret")
        uow.session.execute(gone)
    place(client, 2)
    publish_due(titled.services)
    trouble = client.delivery.trust(TITLE).trouble
    assert "the key of Peatlight's timestamp cannot be used" in trouble
    assert "ceremony draft --new-keys" in trouble
    # Nothing is lost: devices install what was signed, and get the rest once there are keys.
    assert written(client, tmp_path / "mirror").written == 0
    assert install(device, places) == 1
    hold_ceremony(client, new_keys=True)
    publish_due(titled.services)
    assert client.delivery.trust(TITLE).trouble == ""
    written(client, tmp_path / "mirror")
    assert install(device, places) == 2


def test_people_are_told_once_and_long_before(titled: World) -> None:
    def letters() -> int:
        with begin(titled.services) as uow:
            return len(uow.session.execute(LETTERS).all())

    tell_owners(titled.services)
    assert letters() == 0
    later = dt.datetime.now(dt.UTC) + dt.timedelta(days=190)
    titled.services = replace(titled.services, now=lambda: later)
    publish_due(titled.services)
    for _ in range(3):
        tell_owners(titled.services)
    assert letters() == 1
    actor = titled.actor()
    assert [a.partition(" until ")[0] for a in get_trust(titled.services, actor, TITLE).alarms] == [
        "The root holds only"
    ]


def test_files_that_nothing_names_go_after_a_while(titled: World, client: Client, tmp_path: Path) -> None:
    written(client, tmp_path / "mirror")
    update_placed(client, titled.services)
    written(client, tmp_path / "mirror")
    later = dt.datetime.now(dt.UTC) + dt.timedelta(hours=2)
    publish_due(replace(titled.services, now=lambda: later))
    report = written(client, tmp_path / "mirror")
    assert report.removed > 0
    device = new_device(client, tmp_path / "desk")
    assert install(device, origins({"mirror.test": MirrorServer(tmp_path / "mirror")}), later) == 2


def test_a_file_stays_while_any_channel_for_everybody_names_it(titled: World, client: Client, tmp_path: Path) -> None:
    client.channels.add(TITLE, NewChannel(name="weekly", audience=Audience.FOR_EVERYBODY))
    place(client, 1, "weekly")
    publish_due(titled.services)
    written(client, tmp_path / "mirror")
    pack = next((tmp_path / "mirror" / IDENTIFIER / "packs").iterdir())
    place(client, 2)
    publish_due(titled.services)
    later = dt.datetime.now(dt.UTC) + dt.timedelta(hours=2)
    publish_due(replace(titled.services, now=lambda: later))
    assert written(client, tmp_path / "mirror").removed > 0
    assert pack.exists(), "weekly has build 1 still"
    # A channel that is for everybody no more takes its files off the mirrors at once.
    client.channels.change(TITLE, "weekly", ChannelChange(audience=Audience.BY_INVITATION))
    publish_due(titled.services)
    written(client, tmp_path / "mirror")
    left = {
        c.digest for p in pack.parent.iterdir() for f in read_index(p.read_bytes(), p.stat().st_size) for c in f.chunks
    }
    shipped = set()
    for depot in ("base", "languages"):
        tree = manifest.decode(client.fetch(f"/api/v1/titles/{TITLE}/builds/2/depots/{depot}/manifest")).tree
        shipped |= set(tree.chunks.digests)
    assert shipped <= left
    role = "metadata/*.channel-*.json"
    assert len({p.name.partition(".")[2] for p in (tmp_path / "mirror" / IDENTIFIER).glob(role)}) == 2
    # Written anew with nothing known of it: what is not listed goes, too.
    (tmp_path / "mirror" / IDENTIFIER / "written.json").unlink()
    stray = tmp_path / "mirror" / IDENTIFIER / "files" / ("0" * 64)
    stray.write_bytes(b"left by somebody")
    assert written(client, tmp_path / "mirror").removed == 1
    assert not stray.exists()


def test_a_share_is_decided_on_the_device(titled: World, client: Client, tmp_path: Path) -> None:
    seen = client.channels.preview(TITLE, CHANNEL, 2)
    client.channels.place(TITLE, CHANNEL, 2, seen.etag, share=30)
    publish_due(titled.services)
    written(client, tmp_path / "mirror")
    places = origins({"mirror.test": MirrorServer(tmp_path / "mirror")})
    devices = [new_device(client, tmp_path / f"desk-{i}", f"number-{i}") for i in range(12)]
    line = devices[0].look(places, dt.datetime.now(dt.UTC))
    assert [b.offered.share for b in line.builds] == [300, 1000]
    got = [install(d, places) for d in devices]
    assert got == [d.wanted(line).offered.build for d in devices]
    assert set(got) == {1, 2}


def test_a_start_is_taken_once(titled: World, client: Client, tmp_path: Path) -> None:
    device = new_device(client, tmp_path / "desk")
    kept = device.start()
    hold_ceremony(client, new_keys=True)
    assert device.begin(client.delivery.trusted_start(TITLE, CHANNEL)) == kept
    (tmp_path / "desk/trust/start.dsse").write_bytes(b"{}")
    with pytest.raises(Damaged):
        device.start()
