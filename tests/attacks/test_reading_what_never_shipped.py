"""Testers and viewers who read sources, builds that are on no channel, or the plain bundle of a sealed build.

Before: the locations of a build named the pack of the uploaded folder that it was made from, and both fetched it whole; so
they did with packs that a placed build shares with one that is not.
"""

from __future__ import annotations

import shutil
import uuid
from contextlib import suppress
from pathlib import Path

import httpx
import pytest

from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery
from rampa.client.sources.folders import bring_folder, upload_folder
from rampa.core.content.manifest.manifest import decode
from rampa.core.content.pack.pack import decompress, read_index
from rampa.core.content.patch import locations
from rampa.core.errors import NotFound, RampaError
from rampa.core.install.install import Installation
from rampa.db import find_build
from rampa.operations.content import visibility
from rampa.operations.store import repack
from rampa.schema.common import Role
from rampa.system import CLOCK
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder, words
from tests.service.test_updates import ENCRYPTED

TITLE = "peatlight"
CONTENT = (
    "locations",
    "bundle",
    "depots/base/manifest",
    f"depots/base/manifest-difference?base={'00' * 32}",
    "content-keys",
)
SECRET = b"the bog's plan, which nobody ships\n" * 40


@pytest.fixture
def stranger(world: World) -> Client:
    return world.client(Role.VIEWER)


def made_from_a_folder(client: Client, root: Path, document: str = "") -> Path:
    """A build whose content the store has from an uploaded folder already, beside what never ships."""
    add_key(client)
    import_title(client, document) if document else import_title(client)
    folder = make_folder(root / "source", 300_000)
    (folder / "plan.txt").write_bytes(SECRET)
    upload_folder(client, TITLE, folder, "", lambda *_: None)
    made = build(client, folder, root / "state")
    assert made.content.uploaded == 0
    return folder


def place(client: Client, number: int, channel: str = "studio") -> int:
    seen = client.channels.preview(TITLE, channel, number)
    return client.channels.place(TITLE, channel, number, seen.etag).number


def packs_of(client: Client, number: int) -> set[bytes]:
    """Those that a device is sent to."""
    delivery = HttpDelivery(client, TITLE, number)
    found = set()
    for depot in client.builds.get(TITLE, number).depots:
        tree = decode(delivery.manifest(bytes.fromhex(depot.manifest))).tree
        found |= {f.pack for f in locations.decode(delivery.locations([depot.name]), tree).chunks.frames}
    return found


def inside(client: Client, packs: set[bytes]) -> set[bytes]:
    """The chunks whose bytes lie in them."""
    whole = [client.fetch(f"/api/v1/packs/{pack.hex()}") for pack in packs]
    return {c.digest for data in whole for frame in read_index(data, len(data)) for c in frame.chunks}


def shipped(client: Client, *numbers: int) -> set[bytes]:
    trees = [
        decode(HttpDelivery(client, TITLE, n).manifest(bytes.fromhex(d.manifest))).tree
        for n in numbers
        for d in client.builds.get(TITLE, n).depots
    ]
    return {d for tree in trees for d in tree.chunks.digests}


def readable(client: Client, packs: set[bytes]) -> set[bytes]:
    found = set()
    for pack in packs:
        with suppress(NotFound):
            client.fetch(f"/api/v1/packs/{pack.hex()}")
            found.add(pack)
    return found


def everything(world: World) -> set[bytes]:
    return {stored.digest for stored in world.services.store.packs()}


def installs(client: Client, number: int, root: Path) -> Installation:
    title = client.titles.get(TITLE)
    on = Installation(root, title.identifier, bytes.fromhex(title.manifest_key), CLOCK)
    on.update(client.builds.statement(TITLE, number), HttpDelivery(client, TITLE, number))
    assert on.verify() == []
    return on


def test_a_build_on_no_channel_is_not_read(world: World, client: Client, stranger: Client, tmp_path: Path) -> None:
    made_from_a_folder(client, tmp_path)
    for tail in CONTENT:
        with refuses("build.not-offered", "on no channel"):
            stranger.fetch(f"/api/v1/titles/{TITLE}/builds/1/{tail}")
    assert readable(stranger, everything(world)) == set()
    assert stranger.builds.get(TITLE, 1).number == 1


def test_what_is_offered_brings_nothing_that_never_shipped(
    world: World, client: Client, stranger: Client, tmp_path: Path
) -> None:
    made_from_a_folder(client, tmp_path)
    place(client, 1)
    installs(stranger, 1, tmp_path / "device")
    told = packs_of(stranger, 1)
    assert inside(stranger, told) <= shipped(client, 1)
    assert readable(stranger, everything(world)) == told
    # What lies where a public server may read is that, and no more.
    assert {bytes.fromhex(p.stem) for p in (tmp_path / "store/offered").rglob("*.pack")} == told
    # A backup brings packs back, and not this folder.
    shutil.rmtree(tmp_path / "store/offered")
    visibility.settle(world.services)
    assert {bytes.fromhex(p.stem) for p in (tmp_path / "store/offered").rglob("*.pack")} == told
    # Sources are whole for those who may read them, also once the store was packed anew.
    repack.repack(world.services, world.actor())
    bring_folder(client, TITLE, 1, tmp_path / "back", lambda *_: None)
    assert (tmp_path / "back/plan.txt").read_bytes() == SECRET
    installs(stranger, 1, tmp_path / "another")


def test_a_pack_that_is_shared_with_a_build_on_no_channel(
    world: World, client: Client, stranger: Client, tmp_path: Path
) -> None:
    folder = made_from_a_folder(client, tmp_path)
    change_folder(folder)
    build(client, folder, tmp_path / "state")
    place(client, 2)
    installs(stranger, 2, tmp_path / "device")
    assert inside(stranger, readable(stranger, everything(world))) <= shipped(client, 2)
    with refuses("build.not-offered"):
        packs_of(stranger, 1)
    installs(client, 1, tmp_path / "engineer")


def test_what_was_withdrawn_is_not_read_any_more(
    world: World, client: Client, stranger: Client, tmp_path: Path
) -> None:
    folder = made_from_a_folder(client, tmp_path)
    place(client, 1)
    visibility.show(world.services, build_id(world, 1))
    change_folder(folder)
    (folder / "data/leak.bin").write_bytes(words(90_000, 77))
    build(client, folder, tmp_path / "state")
    wrong = place(client, 2, "testers")
    installs(stranger, 2, tmp_path / "device")
    client.rollouts.withdraw(TITLE, "testers", wrong)
    assert visibility.lower(world.services) > 0
    with refuses("build.not-offered"):
        packs_of(stranger, 2)
    # The other build is live still, and shares most of its content.
    installs(stranger, 1, tmp_path / "another")
    assert inside(stranger, readable(stranger, everything(world))) <= shipped(client, 1)
    assert {bytes.fromhex(p.stem) for p in (tmp_path / "store/offered").rglob("*.pack")} <= packs_of(client, 1)


def test_a_sealed_build_has_no_plain_copy_to_read(
    world: World, client: Client, stranger: Client, tmp_path: Path
) -> None:
    """Its content lay plain in the uploaded folder's packs, and its bundle is plain."""
    made_from_a_folder(client, tmp_path, ENCRYPTED)
    place(client, 1)
    with refuses("content.locked", "is sealed"):
        installs(stranger, 1, tmp_path / "device")
    with refuses("bundle.sealed", "and so is its bundle"):
        stranger.fetch(f"/api/v1/titles/{TITLE}/builds/1/bundle")
    for pack in readable(stranger, everything(world)):
        data = stranger.fetch(f"/api/v1/packs/{pack.hex()}")
        assert not opens(data)
    # Those who may read the sources still do: the plain copy stays there.
    bring_folder(client, TITLE, 1, tmp_path / "back", lambda *_: None)
    client.signing.unseal(TITLE, 1)
    installs(stranger, 1, tmp_path / "device")
    assert stranger.fetch(f"/api/v1/titles/{TITLE}/builds/1/bundle")


def test_a_range_tells_no_more_than_the_whole(world: World, client: Client, stranger: Client, tmp_path: Path) -> None:
    made_from_a_folder(client, tmp_path)
    for pack in everything(world):
        for span in ("bytes=0-9", "bytes=-12", "bytes=0-0,5-9", "fog=1"):
            with refuses("content.unknown"):
                stranger.fetch(f"/api/v1/packs/{pack.hex()}", {"Range": span})
    with pytest.raises(httpx.InvalidURL):
        stranger.fetch(f"/api/v1/packs/{'00' * 32}\n")


def opens(data: bytes) -> bool:
    for frame in read_index(data, len(data)):
        with suppress(RampaError):
            decompress(data[frame.offset : frame.offset + frame.stored], frame.raw)
            return True
    return False


def build_id(world: World, number: int) -> uuid.UUID:
    with world.services.db.transaction() as session:
        return find_build(session, TITLE, number).id
