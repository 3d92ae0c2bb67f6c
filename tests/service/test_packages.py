"""Packages as builds: signed inside while the key stays with the service, read back, refused when a storefront would refuse."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.builds.parts import BuildParts
from rampa.core.bundle.package import read_facts
from rampa.core.bundle.package_signature import key_of, sign_package, with_identity
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.stamp import Stamp, stamp_bundle
from rampa.core.bundle.verification import verify_package
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.errors import Invalid, NotFound
from rampa.core.signing import grant as grants
from rampa.core.signing import provenance
from rampa.db.builds import find_build
from rampa.db.signing import find_key
from rampa.operations.base import begin
from rampa.schema.builds.builds import SignaturesOut
from rampa.schema.devices import NewDevice
from rampa.schema.releases import NewRelease
from rampa.schema.rollouts import Rollout
from rampa.schema.signing.grants import NewGrant
from rampa.schema.signing.identities import UnlockIn
from tests.conftest import World
from tests.packages import aab_files, apk_files, ipa_files, lay_out, make_identity, write_zip_file
from tests.refusals import refuses
from tests.samples import add_key, build, import_title

DOCUMENT = """\
[title]
name = "Peatlight"
identifier = "example.quillback.peatlight"
studio = "Quillback Works"

[version]
name = "1.6.0"

[content]
include = ["*"]

[signing]
identity = "quillback-2026"

[code]
architectures = ["arm64"]

[display]
orientation = "landscape"
touch_controls = true

[profiles.phone]
platform = "android"
purpose = "release"
output.kind = "apk"
launch.entry = "classes.dex"

[profiles.store]
platform = "android"
purpose = "release"
output.kind = "aab"
launch.entry = "BundleConfig.pb"

[profiles.handset]
platform = "ios"
purpose = "testing"
code.ahead_of_time = true
launch.entry = "Payload/Peatlight.app/Peatlight"

[profiles.desk]
platform = "linux"
purpose = "testing"
code.architectures = ["x86_64"]
output.kind = "tar.zst"
launch.entry = "classes.dex"

[depots.base]
"""


@pytest.fixture
def ready(client: Client) -> Client:
    add_key(client)
    import_title(client, DOCUMENT)
    return client


def made(client: Client, tmp_path: Path, profile: str, files: dict[str, bytes]):  # type: ignore[no-untyped-def]
    folder = lay_out(tmp_path / profile, files)
    for launch in ("classes.dex", "BundleConfig.pb", "Payload/Peatlight.app/Peatlight"):
        if launch in files:
            (folder / launch).chmod(0o755)
    return build(client, folder, tmp_path / "state", profile).build


def test_an_apk_is_stamped_signed_and_read_back(ready: Client, tmp_path: Path) -> None:
    done = made(ready, tmp_path, "phone", apk_files())
    assert done.bundle
    assert (done.bundle.kind, done.bundle.beside, done.signed) == ("apk", False, True)
    said = done.bundle.says
    assert said
    assert (said.facts.version_name, said.facts.version_code) == (done.version_name, done.version_code) == ("1.6.0", 1)
    assert {s.name: s.state for s in said.schemes} == {"v1": "absent", "v2": "holds", "v3": "holds"}
    ready.builds.save_bundle("peatlight", 1, tmp_path / "o.apk")
    seen = verify_package(FileBytes(tmp_path / "o.apk"))
    assert seen.holds
    assert seen.fingerprint == done.bundle.fingerprint == ready.signing.get("quillback-2026").fingerprint
    (use,) = ready.events.all(act="key.use")
    assert use.detail["scheme"] == "v2,v3"
    assert len(use.detail["content_sha256"]) == 64
    with refuses("bundle.unsigned", "carries its signature inside"):
        ready.builds.signature("peatlight", 1)


def test_an_aab_is_signed_by_v1(ready: Client, tmp_path: Path) -> None:
    done = made(ready, tmp_path, "store", aab_files())
    assert done.bundle.name == "peatlight-1.6.0-1-store.aab"
    ready.builds.save_bundle("peatlight", 1, tmp_path / "o.aab")
    seen = verify_package(FileBytes(tmp_path / "o.aab"))
    assert [(s.name, s.state) for s in seen.schemes] == [("v1", "holds")]


def test_what_a_storefront_would_refuse_is_no_build(ready: Client, tmp_path: Path) -> None:
    uneven = {**apk_files(), "lib/arm64-v8a/libfog.so": apk_files()["lib/arm64-v8a/libpeatlight.so"]}
    with refuses("bundle.library-missing", r"x86_64 lacks libfog.so, which arm64 has"):
        made(ready, tmp_path, "phone", uneven)
    other = {
        k: v.replace(b"example.quillback.peatlight", b"example.quillback.peatlamps") for k, v in apk_files().items()
    }
    with refuses("bundle.identifier", r"identifier is example.quillback.peatlamps, and should be"):
        made(ready, tmp_path, "phone", other)


def test_provenance_says_how_it_was_made(ready: Client, tmp_path: Path) -> None:
    done = made(ready, tmp_path, "desk", {"classes.dex": b"fog"})
    key = bytes.fromhex(ready.titles.get("peatlight").manifest_key)
    statement = provenance.verify(ready.builds.provenance("peatlight", 1), key)
    assert statement["subject"] == [{"name": done.bundle.name, "digest": {"sha256": done.bundle.sha256}}]
    assert done.bundle.name.endswith(".tar.zst")
    asked = statement["predicate"]["buildDefinition"]["externalParameters"]
    assert (asked["profile"], asked["version_code"]) == ("desk", 1)


def device(client: Client, name: str) -> None:
    client.devices.register("peatlight", NewDevice(name=name, platform="ios", channel="testers", simulated=True))


def test_a_grant_and_a_device_that_came_later(ready: Client, tmp_path: Path) -> None:
    with refuses("grant.devices", "no device is registered for iOS"):
        ready.signing.make_grant("peatlight", NewGrant(profile="handset"))
    device(ready, "moss-handset")
    first = ready.signing.make_grant("peatlight", NewGrant(profile="handset", days=30))
    assert (first.number, first.devices) == (1, ["moss-handset"])
    done = made(ready, tmp_path, "handset", ipa_files())
    assert done.grant == 1
    assert "no vendor code signature" in done.bundle.says.notes[0]
    assert ready.signing.grants("peatlight").behind == []
    device(ready, "loft-tablet")
    assert [(b.build, b.devices) for b in ready.signing.grants("peatlight").behind] == [(1, ["loft-tablet"])]
    read = grants.read(ready.signing.grant_of("peatlight", 1))
    with refuses("grant.device", "does not list loft-tablet"):
        grants.must_allow(read, "loft-tablet", read.identifier, done.bundle.fingerprint, dt.datetime.now(dt.UTC))
    ready.signing.make_grant("peatlight", NewGrant(profile="handset"))
    signed = ready.signing.re_sign("peatlight", 1)
    assert (signed.before, signed.grant, signed.devices) == (1, 2, ["loft-tablet", "moss-handset"])
    after = ready.builds.get("peatlight", 1)
    assert after.bundle
    assert done.bundle
    assert (after.grant, after.bundle.sha256) == (2, done.bundle.sha256), "nothing was rebuilt"
    assert ready.signing.grants("peatlight").behind == []
    with refuses("grant.unneeded", "runs test builds on any device"):
        ready.signing.make_grant("peatlight", NewGrant(profile="phone"))
    with refuses("device.unknown", "no device 'kiln'"):
        ready.signing.make_grant("peatlight", NewGrant(profile="handset", devices=["kiln"]))


def test_links_do_not_go_into_packages(ready: Client, tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "linked", apk_files())
    (folder / "assets/again").symlink_to("maps")
    with refuses("bundle.link", "holds no links"):
        build(ready, folder, tmp_path / "state", "phone")


def test_a_folder_without_a_manifest_is_said(ready: Client, tmp_path: Path) -> None:
    with pytest.raises((NotFound, Invalid), match="no manifest"):
        made(ready, tmp_path, "phone", {"classes.dex": b"dex"})


def test_re_signing_with_the_same_grant_says_what_to_do(ready: Client, tmp_path: Path) -> None:
    device(ready, "moss-handset")
    ready.signing.make_grant("peatlight", NewGrant(profile="handset"))
    made(ready, tmp_path, "handset", ipa_files())
    device(ready, "loft-tablet")
    with refuses("grant.same", "is the newest, and does not list loft-tablet"):
        ready.signing.re_sign("peatlight", 1)


def in_place_of(own: str, other: str) -> str:
    """A document whose packages are made by one rule, while the maker goes by another."""
    return DOCUMENT.replace(own, other)


def test_a_package_of_another_kind_or_signed_by_another_is_no_build(
    ready: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The maker does as it likes: it signs by an identity of its own, or sends another kind under the right name."""
    thief = make_identity("thief")

    def signed_by_another(parts: BuildParts, file: Path) -> None:
        plain = file.with_suffix(".plain")
        file.rename(plain)
        with FileBytes(plain) as source:
            sign_package(source, file, with_identity(thief), key_of(thief))

    with monkeypatch.context() as patch:
        patch.setattr(BuildParts, "sign_inside", signed_by_another)
        with refuses("bundle.identity"):
            made(ready, tmp_path, "phone", apk_files())
    ready.titles.revise("peatlight", in_place_of('"apk"', '"aab"'), "App bundles.", 1)

    def of_another_kind(parts: BuildParts, file: Path) -> None:
        write_zip_file(tmp_path / "plain.apk", apk_files())
        with FileBytes(tmp_path / "plain.apk") as source:
            stamp_bundle(source, tmp_path / "o.apk", Stamp("1.6.0", parts.build.version_code))
        (tmp_path / "o.apk").rename(file)

    monkeypatch.setattr(BuildParts, "sign_inside", of_another_kind)
    with refuses("bundle.kind", "is of kind apk, and the profile says aab"):
        made(ready, tmp_path, "phone", aab_files())


def test_a_build_from_before_provenance_says_so(ready: Client, world: World, tmp_path: Path) -> None:
    made(ready, tmp_path, "phone", apk_files())
    with begin(world.services) as uow:
        find_build(uow.session, "peatlight", 1, lock=True).made.provenance = None
    with refuses("provenance.none"):
        ready.builds.provenance("peatlight", 1)


def test_the_first_identity_of_a_succession_must_be_in_the_vault(ready: Client, world: World, tmp_path: Path) -> None:
    add_key(ready, "next-2026")
    ready.signing.hand_over("quillback-2026", "next-2026")
    ready.titles.revise("peatlight", in_place_of("quillback-2026", "next-2026"), "The next identity.", 1)
    with begin(world.services) as uow:
        find_key(uow.session, "quillback-2026", lock=True).fingerprint = "0" * 64
    with refuses("succession.first"):
        made(ready, tmp_path, "phone", apk_files(21))


def test_a_package_whose_signature_does_not_hold_is_no_build(
    ready: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The maker spoils a byte of the content after signing: the service sees it, whatever the maker claims."""
    sign = BuildParts.sign_inside

    def spoiled(parts: BuildParts, file: Path) -> SignaturesOut:
        about = sign(parts, file)
        with FileBytes(file) as source:
            at = read_zip(source).entry("lib/arm64-v8a/libpeatlight.so").data
        data = bytearray(file.read_bytes())
        data[at + 200] ^= 1
        file.write_bytes(data)
        return about

    monkeypatch.setattr(BuildParts, "sign_inside", spoiled)
    with refuses("bundle.signature", "signature does not hold: v2: the content was changed after signing"):
        made(ready, tmp_path, "phone", apk_files())
    assert ready.builds.get("peatlight", 1).state == "open"


@pytest.mark.parametrize(
    ("profile", "files"), [("phone", apk_files()), ("store", aab_files()), ("handset", ipa_files())]
)
def test_rolled_back_under_a_new_code(ready: Client, tmp_path: Path, profile: str, files: dict[str, bytes]) -> None:
    """A phone installs nothing over a higher code: what was live is stamped, signed and verified anew. Nothing is built."""
    first = made(ready, tmp_path, profile, files)
    place(ready, 1)
    launch = first.launch
    second = made(ready, tmp_path, profile, files | {launch: files[launch] + b"fog"})
    place(ready, 2)
    seen = ready.rollouts.preview_roll_back("peatlight", "studio", 1)
    assert (seen.new_code, seen.obstacle) == (True, "")
    done = ready.rollouts.roll_back("peatlight", "studio", 1, seen.etag)
    again = ready.builds.get("peatlight", done.build.number)
    assert (again.number, again.version_code, again.content_of, again.run, again.why) == (3, 3, 1, 0, "roll-back")
    assert second.version_code == 2
    assert [d.manifest for d in again.depots] == [d.manifest for d in first.depots], "the same files"
    assert again.bundle
    assert again.bundle.says
    assert again.bundle.sha256 != first.bundle.sha256
    assert again.bundle.fingerprint == first.bundle.fingerprint
    assert again.bundle.says.facts.version_code == 3
    assert again.bundle.says.holds
    ready.builds.save_bundle("peatlight", 3, tmp_path / "again")
    with FileBytes(tmp_path / "again") as source:
        facts = read_facts(read_zip(source))
        assert (facts.version_code, facts.version_name) == (3, "1.6.0")
        if profile != "handset":
            assert verify_package(source).holds
    release = ready.releases.make("peatlight", NewRelease(builds=[1]))
    assert release.live_on == ["studio"], "its files are live there, under another code"
    assert next(line for line in release.lines if line.build).said == "as #3 on studio"
    assert ready.releases.make("peatlight", NewRelease(builds=[2])).live_on == []
    assert "made peatlight#3 again of #1, under version code 3" in [e.sentence for e in ready.events.all(act="build.")]


def place(client: Client, number: int) -> None:
    client.channels.place("peatlight", "studio", number, client.channels.preview("peatlight", "studio", number).etag)


def test_a_roll_back_that_stopped_halfway_is_gone_on_with(client: Client, tmp_path: Path) -> None:
    ready = client
    add_key(client, passphrase="peat and fog")
    import_title(client, DOCUMENT)
    client.signing.unlock("quillback-2026", UnlockIn(passphrase="peat and fog"))
    made(ready, tmp_path, "phone", apk_files())
    place(ready, 1)
    made(ready, tmp_path, "phone", apk_files() | {"classes.dex": b"fog"})
    place(ready, 2)
    ready.signing.lock("quillback-2026")
    with refuses("key.locked"):
        roll_back(ready)
    assert ready.channels.get("peatlight", "studio").live[0].build.number == 2
    ready.signing.unlock("quillback-2026", UnlockIn(passphrase="peat and fog"))
    assert roll_back(ready).build.number == 3, "the code that was taken is used"
    # Forward again and back again: the higher code is another build's now.
    made(ready, tmp_path, "phone", apk_files() | {"classes.dex": b"thaw"})
    place(ready, 4)
    assert (roll_back(ready).build.number, roll_back_code(ready)) == (5, 5)


def roll_back(client: Client) -> Rollout:
    seen = client.rollouts.preview_roll_back("peatlight", "studio", 1)
    return client.rollouts.roll_back("peatlight", "studio", 1, seen.etag)


def roll_back_code(client: Client) -> int:
    return client.channels.get("peatlight", "studio").live[0].build.version_code
