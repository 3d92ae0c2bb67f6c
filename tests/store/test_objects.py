"""The content store in an object store: the same promises as a folder, against a simulated S3 server on loopback."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from blake3 import blake3

from rampa.core.errors import Damaged, Invalid
from rampa.local.postgres import free_port
from rampa.store.folder import FolderStore
from rampa.store.objects import ObjectPlace, ObjectStore
from rampa.store.port import ContentStore
from tests.refusals import refuses

DATA = b"a pack of lanterns" * 1000
DIGEST = blake3(DATA).digest()


@pytest.fixture(scope="module")
def endpoint() -> Iterator[str]:
    from moto.server import ThreadedMotoServer

    server = ThreadedMotoServer(ip_address="127.0.0.1", port=free_port(), verbose=False)
    server.start()
    yield f"http://127.0.0.1:{server._port}"
    server.stop()


@pytest.fixture
def objects(endpoint: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> ObjectStore:
    for name, value in (("ACCESS_KEY_ID", "bog"), ("SECRET_ACCESS_KEY", "lantern"), ("DEFAULT_REGION", "us-east-1")):
        monkeypatch.setenv(f"AWS_{name}", value)
    bucket = f"b{abs(hash(tmp_path.name)) % 10**9}"
    store = ObjectStore(ObjectPlace(f"s3://{bucket}/peat", endpoint, signed=True), tmp_path / "local")
    store._client.create_bucket(Bucket=bucket)
    return store


@pytest.fixture(params=["folder", "objects"])
def store(request: pytest.FixtureRequest, tmp_path: Path) -> ContentStore:
    if request.param == "folder":
        return FolderStore(tmp_path / "folder")
    return request.getfixturevalue("objects")  # type: ignore[no-any-return]


def fine(path: Path, size: int) -> None:
    assert path.read_bytes() == DATA


def test_what_is_put_is_there_in_parts_and_listed(store: ContentStore) -> None:
    assert store.put_pack(DIGEST, [DATA[:7], DATA[7:]], len(DATA), fine) == len(DATA)
    store.put_pack(DIGEST, [DATA], len(DATA), fine)
    assert store.read_pack(DIGEST, 5, 20) == DATA[5:25]
    assert store.read_pack(DIGEST, len(DATA) - 3, 100) == DATA[-3:]
    store.put_manifest(DIGEST, b"m")
    assert store.manifest(DIGEST) == b"m"
    assert [(s.digest, s.size) for s in store.packs()] == [(DIGEST, len(DATA))]
    assert [(s.digest, s.size) for s in store.manifests()] == [(DIGEST, 1)]
    store.remove_pack(DIGEST)
    store.remove_pack(DIGEST)
    store.remove_manifest(DIGEST)
    assert list(store.packs()) == list(store.manifests()) == []


def refuse(path: Path, size: int) -> None:
    raise Damaged("x", "refused by the check")


@pytest.mark.parametrize(
    ("pieces", "limit", "check", "kind"),
    [([DATA + b"!"], 10**6, fine, Damaged), ([DATA], 5, fine, Invalid), ([DATA], 10**6, refuse, Damaged)],
)
def test_what_is_wrong_leaves_nothing(store: ContentStore, pieces, limit, check, kind) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(kind):
        store.put_pack(DIGEST, pieces, limit, check)
    assert list(store.packs()) == []


def test_what_is_not_there_is_said(store: ContentStore) -> None:
    with refuses("content.unknown"):
        store.read_pack(DIGEST, 0, 5)
    with refuses("content.unknown"):
        store.manifest(DIGEST)


def test_a_signed_address_brings_a_pack_without_credentials(objects: ObjectStore) -> None:
    objects.put_pack(DIGEST, [DATA], len(DATA), fine)
    address = objects.pack_address(DIGEST, "bytes=3-9")
    answer = httpx.get(address, headers={"Range": "bytes=3-9"}, trust_env=False)
    assert (answer.status_code, answer.content) == (206, DATA[3:10])
    said = parse_qs(urlsplit(address).query)
    assert (said["X-Amz-SignedHeaders"], said["X-Amz-Expires"]) == (["host;range"], ["60"])


def test_an_object_store_that_is_gone_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("AWS_ACCESS_KEY_ID", "bog")
    monkeypatch.setenv("AWS_SECRET_ACCESS_KEY", "lantern")
    monkeypatch.setenv("AWS_DEFAULT_REGION", "us-east-1")
    store = ObjectStore(ObjectPlace("s3://peat", f"http://127.0.0.1:{free_port()}"), tmp_path)
    with refuses("store.error", "object store"):
        store.manifest(DIGEST)
    with refuses("store.address", "no object store"):
        ObjectStore(ObjectPlace("peat"), tmp_path)


@pytest.mark.slow
def test_a_title_lives_in_an_object_store(objects: ObjectStore, database_url: str, tmp_path: Path) -> None:
    """From folder to device; packs come by signed addresses."""
    from rampa.db.base import Database
    from rampa.operations.base.context import Services
    from rampa.operations.people import people
    from rampa.service.wiring import make_app
    from tests.conftest import MASTER, OWNER, World
    from tests.samples import add_key, build, import_title, make_folder
    from tests.service.test_updates import device

    services = Services(Database(database_url), objects, MASTER)
    password = people.first_start(services, "Quillback Works", "Iida", OWNER)
    assert password
    world = World(services, make_app(services), password)
    client = world.client()
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "source"), tmp_path / "state")
    from rampa.client.devices.delivery import HttpDelivery

    class Following(HttpDelivery):
        """The service answers in this process; the object store it points at is on the network."""

        def read(self, pack: bytes, offset: int, size: int) -> bytes:
            span = f"bytes={offset}-{offset + size - 1}"
            return httpx.get(objects.pack_address(pack, span), headers={"Range": span}, trust_env=False).content

    on = device(client, tmp_path / "device")
    on.update(client.builds.statement("peatlight", 1), Following(client, "peatlight", 1))
    assert on.verify() == []
    answer = world.app.test_client().get(  # type: ignore[attr-defined]
        f"/api/v1/packs/{next(iter(objects.packs())).digest.hex()}",
        headers={"Authorization": f"Bearer {client.connection.bearer.current()}"},
    )
    assert answer.status_code == 307
    assert answer.headers["Location"].startswith("http://127.0.0.1:")
    services.db.engine.dispose()
