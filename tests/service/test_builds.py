"""Builds through the client library: made, checked, read back; what a maker claims is never believed."""

from __future__ import annotations

import base64
import hashlib
import io
import subprocess
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from blake3 import blake3

from rampa.client import Client
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack.pack import PackWriter, compress
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from rampa.core.errors import Damaged, Invalid
from rampa.core.signing import statement
from rampa.schema.builds import builds as wire
from rampa.store.folder import FolderStore
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return make_folder(tmp_path / "source")


@pytest.fixture
def ready(client: Client) -> Client:
    add_key(client)
    import_title(client)
    return client


def test_a_build_from_folder_to_record(ready: Client, folder: Path, tmp_path: Path) -> None:
    made = build(ready, folder, tmp_path / "state", notes="first")
    b = made.build
    assert (b.name, b.state, b.version_name, b.version_code, b.signed) == ("peatlight#1", "ready", "1.4.0", 1, True)
    assert {d.name: d.files for d in b.depots} == {"base": 4, "languages": 2}
    assert b.files == 6
    assert b.packed < b.size
    assert {(o.path, o.why) for o in ready.builds.left_out("peatlight", 1)} >= {
        ("bin/peatlight.sym", "symbols"),
        ("locale/new.draft.json", "leave-out rule *.draft.*"),
    }
    assert [f.path for f in ready.builds.files("peatlight", 1)][:2] == ["bin/peatlight", "bin/peatlight.cmd"]
    title = ready.titles.get("peatlight")
    signed = statement.verify(ready.builds.statement("peatlight", 1), bytes.fromhex(title.manifest_key))
    assert (signed.title, signed.build, signed.launch) == ("example.quillback.peatlight", 1, "bin/peatlight")
    acts = [e.act for e in ready.events.all(title="peatlight")]
    assert acts[:3] == ["build.complete", "key.use", "build.open"]


def test_the_bundle_comes_back_as_it_was_signed(ready: Client, folder: Path, tmp_path: Path) -> None:
    made = build(ready, folder, tmp_path / "state")
    assert made.build.bundle
    ready.builds.save_bundle("peatlight", 1, tmp_path / "b.zip")
    data = (tmp_path / "b.zip").read_bytes()
    assert hashlib.sha256(data).hexdigest() == made.build.bundle.sha256
    with zipfile.ZipFile(io.BytesIO(data)) as bundle:
        assert {n.split("/")[0] for n in bundle.namelist()} == {"peatlight-1.4.0-1-linux-release"}
        assert bundle.read("peatlight-1.4.0-1-linux-release/data/bog.arc") == (folder / "data/bog.arc").read_bytes()
    (tmp_path / "b.p7s").write_bytes(ready.builds.signature("peatlight", 1))
    command = [
        "openssl",
        "cms",
        "-verify",
        "-binary",
        "-inform",
        "DER",
        "-noverify",
        "-in",
        "b.p7s",
        "-content",
        "b.zip",
    ]
    assert subprocess.run([*command, "-out", "/dev/null"], cwd=tmp_path, capture_output=True).returncode == 0


def test_only_missing_chunks_travel(ready: Client, folder: Path, tmp_path: Path) -> None:
    first = build(ready, folder, tmp_path / "state")
    again = build(ready, folder, tmp_path / "other")
    assert again.build.version_code == 2
    assert again.content.uploaded == 0
    assert again.bundle.uploaded < first.content.uploaded / 10, "of the bundle only headers differ: its folder's name"
    change_folder(folder)
    third = build(ready, folder, tmp_path / "state")
    assert 0 < third.content.uploaded < first.content.uploaded / 4


def test_the_same_folder_gives_the_same_manifests(ready: Client, folder: Path, tmp_path: Path) -> None:
    one, two = build(ready, folder, tmp_path / "a").build, build(ready, folder, tmp_path / "b").build
    assert [d.manifest for d in one.depots] == [d.manifest for d in two.depots]


def test_many_builds_at_once_get_different_codes_in_order(ready: Client) -> None:
    with ThreadPoolExecutor(12) as threads:
        opened = list(
            threads.map(lambda _: ready.builds.open("peatlight", wire.NewBuild(profile="linux-release")), range(30))
        )
    assert sorted(b.version_code for b in opened) == list(range(1, 31))
    assert len({b.number for b in opened}) == 30
    by_number = sorted(opened, key=lambda b: b.number)
    assert [b.version_code for b in by_number] == list(range(1, 31))


def test_two_uploads_of_the_same_content_at_once_are_both_right(
    world: World, ready: Client, folder: Path, tmp_path: Path
) -> None:
    with ThreadPoolExecutor(2) as threads:
        made = list(threads.map(lambda n: build(ready, folder, tmp_path / f"state{n}"), range(2)))
    assert sorted(m.build.version_code for m in made) == [1, 2]
    for m in made:
        ready.builds.save_bundle("peatlight", m.build.number, tmp_path / "x.zip")
        with zipfile.ZipFile(tmp_path / "x.zip") as bundle:
            assert bundle.testzip() is None


def test_the_same_key_opens_one_build(ready: Client) -> None:
    asked = wire.NewBuild(profile="linux-release")
    one = ready.builds.open("peatlight", asked, "key-12345678")
    assert ready.builds.open("peatlight", asked, "key-12345678").number == one.number
    with refuses("idempotency.reused", "was used for another call"):
        ready.builds.open("peatlight", wire.NewBuild(profile="windows-release"), "key-12345678")
    with ThreadPoolExecutor(6) as threads:
        same = set(threads.map(lambda _: ready.builds.open("peatlight", asked, "key-abcdefgh").number, range(6)))
    assert len(same) == 1


def test_an_abandoned_code_is_burned(ready: Client) -> None:
    asked = wire.NewBuild(profile="linux-release")
    ready.builds.open("peatlight", asked)
    assert ready.builds.abandon("peatlight", 1).state == "abandoned"
    assert ready.builds.abandon("peatlight", 1).state == "abandoned"
    assert ready.builds.open("peatlight", asked).version_code == 2
    with refuses("build.closed", "nothing can be sent"):
        ready.builds.put_pack("peatlight", 1, b"x")


def pack_of(*contents: bytes) -> bytes:
    writer = PackWriter()
    writer.add([Chunk(blake3(c).digest(), len(c)) for c in contents], compress(b"".join(contents)))
    return writer.finish()


def lying_pack() -> bytes:
    writer = PackWriter()
    writer.add([Chunk(bytes(32), 7)], compress(b"lantern"))
    return writer.finish()


def test_a_pack_that_lies_is_refused_and_leaves_nothing(ready: Client, tmp_path: Path) -> None:
    ready.builds.open("peatlight", wire.NewBuild(profile="linux-release"))
    for bad in (lying_pack(), pack_of(b"fog")[:-1], b"noise" * 100, b""):
        with pytest.raises((Damaged, Invalid)):
            ready.builds.put_pack("peatlight", 1, bad)
    path = f"/api/v1/titles/peatlight/builds/1/packs/{'a' * 64}"
    with refuses("pack.damaged", "not the one that was announced"):
        ready.connection.request("PUT", path, content=pack_of(b"fog"))
    assert [p for p in (tmp_path / "store").rglob("*") if p.is_file()] == []
    assert ready.builds.missing("peatlight", 1, ["0" * 64]) == ["0" * 64]
    assert ready.builds.put_pack("peatlight", 1, pack_of(b"fog")).new_chunks == 1
    assert ready.builds.put_pack("peatlight", 1, pack_of(b"fog")).new_chunks == 0


def complete(
    files: list[FileEntry], bundle: bytes = b"fog", depots: tuple[str, ...] = ("base", "languages"), **more: object
) -> wire.CompleteBuild:
    trees = [Tree(tuple(files))] + [Tree()] * (len(depots) - 1)
    manifests = [manifest_format.encode(Manifest(d, t, DEFAULT)) for d, t in zip(depots, trees, strict=True)]
    fields = {
        "name": "peatlight-1.4.0-1-linux-release.zip",
        "size": len(bundle),
        "sha256": hashlib.sha256(bundle).hexdigest(),
        "chunks": [wire.ChunkIn(digest=blake3(bundle).hexdigest(), size=len(bundle))],
    }
    return wire.CompleteBuild(
        manifests=[
            wire.ManifestIn(depot=d, data=base64.b64encode(m).decode()) for d, m in zip(depots, manifests, strict=True)
        ],
        bundle=wire.BundleIn(**(fields | more)),
    )


def entry(digest: bytes, *contents: bytes) -> FileEntry:
    chunks = tuple(Chunk(blake3(c).digest(), len(c)) for c in contents)
    return FileEntry("bin/peatlight", sum(map(len, contents)), True, digest, chunks)


def test_what_a_maker_claims_is_checked(ready: Client) -> None:
    ready.builds.open("peatlight", wire.NewBuild(profile="linux-release"))
    ready.builds.put_pack("peatlight", 1, pack_of(b"fog", b"bog"))
    whole, fog = blake3(b"fogbog").digest(), blake3(b"fog").digest()
    good = entry(whole, b"fog", b"bog")
    lies = {
        "chunks that never arrived": ("content.missing", complete([entry(blake3(b"thaw").digest(), b"thaw")])),
        "a chunk's size": ("content.size", complete([FileEntry("bin/peatlight", 9, True, whole, (Chunk(fog, 9),))])),
        "a file's digest": ("file.digest", complete([entry(bytes(32), b"fog", b"bog")])),
        "a small file's digest": ("file.digest", complete([entry(bytes(32), b"fog")])),
        "the bundle's digest": ("bundle.digest", complete([good], sha256="0" * 64)),
        "the bundle's size": ("bundle.digest", complete([good], size=4)),
        "the bundle's name": ("bundle.name", complete([good], name="other.zip")),
        "a depot that the profile lacks": ("depots.other", complete([good], depots=("base", "more"))),
        "too few depots": ("depots.other", complete([good], depots=("base",))),
    }
    for what, (code, lie) in lies.items():
        with refuses(code):
            ready.builds.complete("peatlight", 1, lie)
        assert ready.builds.get("peatlight", 1).state == "open", what
    ready.builds.complete("peatlight", 1, complete([good]))
    again = ready.builds.complete("peatlight", 1, complete([good]))
    assert again.state == "ready"
    with refuses("build.closed"):
        ready.builds.complete("peatlight", 1, complete([entry(blake3(b"fog").digest(), b"fog")]))


def test_a_full_store_says_so_and_keeps_nothing_half(
    world: World, ready: Client, folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:

    with monkeypatch.context() as patch:
        patch.setattr(
            "rampa.store.folder.os.fsync", lambda _: (_ for _ in ()).throw(OSError(28, "No space left on device"))
        )
        with refuses("store.full", "content store is full"):
            build(ready, folder, tmp_path / "state")
    assert [p for p in (tmp_path / "store").rglob("*") if p.is_file()] == []
    made = build(ready, folder, tmp_path / "state")
    assert (made.build.number, made.build.version_code, made.build.state) == (1, 1, "ready")


def test_a_sweep_removes_what_a_kill_left(tmp_path: Path) -> None:
    store = FolderStore(tmp_path)
    (tmp_path / "incoming/half").write_bytes(b"x")
    assert store.sweep() == 1
    assert store.sweep() == 0


def test_unknown_things_are_said_with_what_there_is(ready: Client, folder: Path, tmp_path: Path) -> None:
    with refuses("title.unknown", "no title 'fog'") as caught:
        ready.titles.get("fog")
    assert "peatlight" in caught.value.hint
    with refuses("profile.unknown", "no profile 'mac'"):
        build(ready, folder, tmp_path, profile="mac")
    with refuses("build.unknown", "no build peatlight#9"):
        ready.builds.get("peatlight", 9)
    with refuses("version.name", "SemVer"):
        build(ready, folder, tmp_path, version_name="one")


def test_lists_filter_sort_and_page(ready: Client) -> None:
    for n in range(7):
        profile = "windows-release" if n % 3 == 0 else "linux-release"
        ready.builds.open("peatlight", wire.NewBuild(profile=profile, notes=f"night {n}"))
    assert [b.number for b in ready.builds.all("peatlight", limit=2)] == [7, 6, 5, 4, 3, 2, 1]
    assert [b.number for b in ready.builds.all("peatlight", profile="windows-release")] == [7, 4, 1]
    assert [b.number for b in ready.builds.all("peatlight", search="night 4")] == [5]
    assert [b.number for b in ready.builds.all("peatlight", search="100%_")] == []
    assert len(list(ready.builds.all("peatlight", sort="size", limit=3))) == 7
    with refuses("cursor.invalid", "cursor"):
        list(ready.builds.all("peatlight", cursor="bm9uc2Vuc2U="))


def test_notes_change_under_an_etag(world: World, ready: Client) -> None:
    ready.builds.open("peatlight", wire.NewBuild(profile="linux-release"))
    http = world.app.test_client()  # type: ignore[attr-defined]
    headers = {"Authorization": f"Bearer {world.token()}"}
    at = "/api/v1/titles/peatlight/builds/1"
    etag = http.get(at, headers=headers).headers["ETag"]
    assert http.patch(at, json={"notes": "a"}, headers=headers).status_code == 428
    assert http.patch(at, json={"notes": "a"}, headers=headers | {"If-Match": etag}).status_code == 200
    assert http.patch(at, json={"notes": "b"}, headers=headers | {"If-Match": etag}).status_code == 412
    assert ready.builds.get("peatlight", 1).notes == "a"


def test_documents_move_by_revisions(ready: Client) -> None:
    newer = DOCUMENT.replace("1.4.0", "1.5.0")
    assert ready.titles.revise("peatlight", newer, "thaw", 1).version_name == "1.5.0"
    with refuses("revision.moved", "at revision 2 now"):
        ready.titles.revise("peatlight", DOCUMENT, "late", 1)
    assert ready.titles.revise("peatlight", newer, "again", 2).revision == 2
    assert ready.titles.revision("peatlight", 1).document == DOCUMENT
    with refuses("title.exists", "belongs to the title peatlight"):
        ready.titles.add(DOCUMENT)
    with refuses("document.invalid", "2 problems"):
        ready.titles.add(DOCUMENT.replace('"linux"', '"linus"'))


def test_an_event_names_who_and_never_a_secret(world: World, ready: Client) -> None:
    with world.services.db.engine.connect() as connection:
        kept = str(connection.exec_driver_sql("select * from audit_event").fetchall())
        kept += str(connection.exec_driver_sql("select * from idempotent_answer").fetchall())
    assert "a password" not in kept
    assert "PRIVATE" not in kept
    assert all(e.who for e in ready.events.all())
