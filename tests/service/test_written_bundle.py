"""A bundle does not travel beside its content: the service writes the same bytes, or it is sent as it is."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from blake3 import blake3

from rampa.client import Client
from rampa.client.builds import parts
from rampa.client.builds.maker import MadeBuild
from rampa.core.bundle.written import BundlePlan, write_bundle
from rampa.core.bundle.zip_writer import Member
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.tree.parameters import DEFAULT
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from rampa.core.errors import NotFound, Unavailable
from rampa.operations.builds import written_bundle
from rampa.schema.builds.builds import BundleIn, ManifestIn, NewBuild, WriteBundleIn
from rampa.schema.signing.grants import NewGrant
from tests.packages import aab_files, apk_files, ipa_files, lay_out
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder, noise
from tests.service.test_packages import DOCUMENT as PACKAGES
from tests.service.test_packages import device

TITLE = "peatlight"


@pytest.fixture(autouse=True)
def however_small(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(parts, "SMALL", 1)


@pytest.fixture
def folder(client: Client, tmp_path: Path) -> Path:
    add_key(client)
    import_title(client)
    made = make_folder(tmp_path / "source", 900_000)
    (made / "bin/again").symlink_to("peatlight")
    return made


def saved(client: Client, made: MadeBuild, to: Path) -> bytes:
    """The bundle as the service has it, which is what was said of it."""
    client.builds.save_bundle(TITLE, made.build.number, to)
    data = to.read_bytes()
    assert made.build.bundle
    assert made.build.bundle.sha256 == hashlib.sha256(data).hexdigest()
    return data


@pytest.mark.parametrize("kind", ["zip", "tar.zst"])
def test_of_a_desktop_bundle_nothing_travels(client: Client, folder: Path, tmp_path: Path, kind: str) -> None:
    head = "[profiles.linux-release]\n"
    client.titles.revise(TITLE, DOCUMENT.replace(head, f'{head}output.kind = "{kind}"\n'), kind, 1)
    (tmp_path / "kept").mkdir()
    made = build(client, folder, tmp_path / "state", keep_bundle=tmp_path / "kept")
    assert made.content.uploaded > 900_000
    assert (made.bundle.uploaded, made.bundle.present) == (0, made.bundle.content)
    (kept,) = (tmp_path / "kept").iterdir()
    assert saved(client, made, tmp_path / "saved") == kept.read_bytes()
    assert made.build.bundle
    assert made.build.bundle.name.endswith(kind)
    # What travelled is what the build says.
    assert client.builds.get(TITLE, 1).figures.uploaded == made.content.uploaded


@pytest.mark.parametrize(("profile", "files"), [("phone", apk_files), ("store", aab_files), ("handset", ipa_files)])
def test_of_a_package_neither_the_unsigned_nor_the_signed_one_travels(
    client: Client, tmp_path: Path, profile: str, files: Callable[[], dict[str, bytes]]
) -> None:
    add_key(client)
    import_title(client, PACKAGES)
    if profile == "handset":
        device(client, "moss-handset")
        client.signing.make_grant(TITLE, NewGrant(profile=profile, days=30))
    made_folder = lay_out(tmp_path / profile, files())
    for launch in ("classes.dex", "BundleConfig.pb", "Payload/Peatlight.app/Peatlight"):
        if (made_folder / launch).is_file():
            (made_folder / launch).chmod(0o755)
    made = build(client, made_folder, tmp_path / "state", profile)
    assert made.bundle.uploaded == 0
    assert made.build.signed or profile == "handset"
    saved(client, made, tmp_path / "saved")


def test_a_bundle_that_a_step_changed_is_sent(
    client: Client, folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def changed(file: Path, plan: BundlePlan, members: list[Member], **_: object) -> None:
        write_bundle(file, plan, members)
        with file.open("ab") as out:
            out.write(noise(4000, 8))

    monkeypatch.setattr(parts, "write_bundle", changed)
    made = build(client, folder, tmp_path / "state")
    assert made.bundle.uploaded > 0
    assert saved(client, made, tmp_path / "saved").endswith(noise(4000, 8))


@pytest.mark.parametrize("why", ["old", "full", "gone"])
def test_where_the_service_cannot_it_is_sent(
    client: Client, folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, why: str
) -> None:
    def old(*_: object) -> Iterator[object]:
        raise NotFound("http.404", "the service answered 404")

    def full(*_: object) -> None:
        raise Unavailable("disk.full", "this needs more on the disk")

    def gone(*_: object) -> None:
        raise Unavailable("store.unreachable", "the object store does not answer")

    if why == "old":
        monkeypatch.setattr(client.builds, "write_bundle", old)
    else:
        monkeypatch.setattr(written_bundle, "must_fit" if why == "full" else "_keep", full if why == "full" else gone)
    made = build(client, folder, tmp_path / "state")
    assert made.bundle.uploaded > 0
    saved(client, made, tmp_path / "saved")


def asked(size: int, repeat: int = 1, digest: bytes = b"") -> WriteBundleIn:
    """A content of one chunk, so many times."""
    chunk = Chunk(digest or blake3(b"fog").digest(), size)
    tree = Tree((FileEntry("fog", size * repeat, False, bytes(32), (chunk,) * repeat),))
    data = base64.b64encode(manifest_format.encode(Manifest("bundle", tree, DEFAULT))).decode()
    bundle = BundleIn(name="other.zip", size=9, sha256="0" * 64, chunks=[])
    return WriteBundleIn(bundle=bundle, content=ManifestIn(depot="bundle", data=data))


def test_what_is_no_content_of_the_build_is_refused(client: Client, folder: Path, tmp_path: Path) -> None:
    number = client.builds.open(TITLE, NewBuild(profile="linux-release")).number
    name = f"{client.builds.get(TITLE, number).bundle_name}.zip"

    def write(wanted: WriteBundleIn) -> list[str]:
        bundle = wanted.bundle.model_copy(update={"name": name})
        return [
            w.state for w in client.builds.write_bundle(TITLE, number, wanted.model_copy(update={"bundle": bundle}))
        ]

    with refuses("content.missing"):
        write(asked(3))
    with refuses("bundle.repeated"):
        write(asked(3, repeat=17))
    with refuses("bundle.name"):
        list(client.builds.write_bundle(TITLE, number, asked(3)))
    with refuses("manifest.depot"):
        write(asked(3).model_copy(update={"content": ManifestIn(depot="base", data=asked(3).content.data)}))
    made = build(client, folder, tmp_path / "state")
    with refuses("build.closed"):
        list(client.builds.write_bundle(TITLE, made.build.number, asked(3)))
