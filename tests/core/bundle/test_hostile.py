"""Bundles of a stranger: tar files, checksum lists, manifests and folders that no studio would make."""

from __future__ import annotations

import hashlib
import io
import plistlib
import tarfile
from collections.abc import Callable
from pathlib import Path

import pytest
import zstandard
from demo.lantern_export import manifests

from rampa.core.bundle.android_xml import BinaryXml
from rampa.core.bundle.assembly import assemble_package
from rampa.core.bundle.desktop import unpack, verify_checksums
from rampa.core.bundle.package import read_facts
from rampa.core.bundle.package_signature import check_schemes, key_of, sign_package, with_identity
from rampa.core.bundle.property_list import PropertyList
from rampa.core.bundle.proto_xml import ProtoXml
from rampa.core.bundle.sources import BytesSource, FileBytes
from rampa.core.bundle.split import split_package
from rampa.core.bundle.stamp import Stamp, stamp_bundle
from rampa.core.bundle.tar_bundle import read_tar_zst, write_tar_zst
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.bundle.zip_writer import Member
from tests.packages import aab_files, apk_files, ipa_files, lay_out, make_identity, plain_zip, root, write_zip_file
from tests.refusals import refuses


def tar(*entries: tuple[str, bytes, str], cut: int = 0) -> bytes:
    """(type, name, link or content) of each entry, packed; `cut` bytes are missing at the end."""
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w") as made:
        for name, kind, said in entries:
            info = tarfile.TarInfo(name)
            info.type = kind
            if kind == tarfile.REGTYPE:
                info.size = len(said)
                made.addfile(info, io.BytesIO(said.encode()))
            else:
                info.linkname = said
                made.addfile(info)
    packed = zstandard.compress(out.getvalue())
    return packed[: len(packed) - cut]


FILE, LINK = tarfile.REGTYPE, tarfile.SYMTYPE

TARS: dict[str, tuple[Callable[[], bytes], str]] = {
    "a device": (lambda: tar(("t/fog", tarfile.CHRTYPE, "")), "tar.kind"),
    "a hard link": (lambda: tar(("t/fog", FILE, "x"), ("t/kiln", tarfile.LNKTYPE, "t/fog")), "tar.kind"),
    "a name that leads out": (lambda: tar(("../fog", FILE, "x")), "tar.path"),
    "an absolute name": (lambda: tar(("/fog", FILE, "x")), "tar.path"),
    "the same name twice": (lambda: tar(("t/fog", FILE, "x"), ("t/fog", FILE, "y")), "tar.twice"),
    "cut off": (lambda: tar(("t/fog", FILE, "x" * 90_000), cut=40), "tar.damaged"),
    "noise in a frame": (lambda: zstandard.compress(b"fog" * 5_000), "tar.damaged"),
    "a link that leads out": (lambda: tar(("t/fog", LINK, "../../etc")), "link.outside"),
    "an absolute link": (lambda: tar(("t/fog", LINK, "/etc/passwd")), "link.outside"),
}


@pytest.mark.parametrize("name", TARS)
def test_a_tar_bundle_is_read_strictly(name: str, tmp_path: Path) -> None:
    make, code = TARS[name]
    with refuses(code):
        unpack(BytesSource(make()), tmp_path / "out")
    assert not (tmp_path / "fog").exists()


def test_a_file_behind_a_link_is_not_written(tmp_path: Path) -> None:
    hostile = tar(("t/here", LINK, "there"), ("t/there/deep", FILE, "x"), ("t/here/fog", FILE, "x"))
    with refuses("zip.path", "below it", where="t/here"):
        unpack(BytesSource(hostile), tmp_path / "inside")
    assert not (tmp_path / "inside/t/there/fog").exists()
    (tmp_path / "out/t").mkdir(parents=True)
    (tmp_path / "out/t/away").symlink_to(tmp_path)
    with refuses("zip.path", "outside the folder"):
        unpack(BytesSource(tar(("t/away/fog", FILE, "x"))), tmp_path / "out")
    assert not (tmp_path / "fog").exists()


def test_absurdly_many_entries_are_not_waited_for(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rampa.core.bundle.tar_bundle.MAX_ENTRIES", 3)
    with refuses("tar.entries"):
        for _, content in read_tar_zst(BytesSource(tar(*((f"t/{n}", FILE, "x") for n in range(4))))):
            b"".join(content)


def test_a_file_that_shrinks_meanwhile_is_noticed(tmp_path: Path) -> None:
    (tmp_path / "fog").write_bytes(b"fog")
    with refuses("file.changed", where="t/fog"):
        write_tar_zst(io.BytesIO(), [Member("t/fog", tmp_path / "fog", 4)])


def summed(sums: str, *files: str) -> bytes:
    return plain_zip({"top/SHA256SUMS": sums.encode(), **{f"top/{f}": f.encode() for f in files}})


def line(name: str, content: str = "") -> str:
    return f"{hashlib.sha256((content or name).encode()).hexdigest()}  {name}\n"


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (summed("fog\n", "a"), "sums.line"),
        (summed(line("a", "b"), "a"), "sums.other"),
        (summed(line("a") + line("b"), "a"), "sums.other"),
        (summed(line("a"), "a", "b"), "sums.extra"),
    ],
)
def test_a_list_of_checksums_is_the_whole_truth(data: bytes, code: str) -> None:
    assert verify_checksums(BytesSource(summed(line("a"), "a"))) == 1
    with refuses(code):
        verify_checksums(BytesSource(data))


@pytest.mark.parametrize("name", ["bog\u2028fog", "bog\x85fog", "fog\u2029"])
def test_a_name_with_what_unicode_calls_the_end_of_a_line_has_its_checksum(name: str) -> None:
    assert verify_checksums(BytesSource(summed(line("a") + line(name), "a", name))) == 2


DEEP = manifests.Node("manifest")
for _ in range(300):
    DEEP = manifests.Node("manifest", children=[DEEP])

MANIFESTS: dict[str, tuple[Callable[[], object], str]] = {
    "a list as a property list": (lambda: PropertyList(plistlib.dumps([1])), "manifest.plist"),
    "no property list": (lambda: PropertyList(b"fog"), "manifest.plist"),
    "a cut property list": (lambda: PropertyList(b"bplist00\0\0"), "manifest.plist"),
    "no root": (lambda: ProtoXml(b""), "manifest.protobuf"),
    "no such element": (
        lambda: ProtoXml(manifests.proto_xml(manifests.Node("manifest"))).set("application", "debuggable", True),
        "manifest.protobuf",
    ),
    "nested deep": (lambda: ProtoXml(manifests.proto_xml(DEEP)), "manifest.protobuf"),
    "no binary XML": (lambda: BinaryXml(b"<manifest/>"), "manifest.binary"),
    "cut binary XML": (lambda: BinaryXml(manifests.binary_xml(root())[:-9]), "manifest.binary"),
    "another root": (
        lambda: facts({"AndroidManifest.xml": manifests.binary_xml(manifests.Node("fog"), True)}),
        "manifest.root",
    ),
    "two applications": (
        lambda: facts({**ipa_files(), "Payload/Other.app/Info.plist": b"x"}),
        "bundle.ipa",
    ),
}


def facts(files: dict[str, bytes]) -> object:
    return read_facts(read_zip(BytesSource(plain_zip(files))))


@pytest.mark.parametrize("name", MANIFESTS)
def test_a_manifest_that_is_none(name: str) -> None:
    make, code = MANIFESTS[name]
    with refuses(code):
        make()


def without_code() -> dict[str, bytes]:
    bare = manifests.Node("manifest", {}, {"package": "a.b"}, [manifests.Node("application")])
    return {**apk_files(), "AndroidManifest.xml": manifests.binary_xml(bare, True)}


@pytest.mark.parametrize(
    ("files", "stamp", "code"),
    [
        ({"top/x": b"fog"}, Stamp("1.0.0"), "stamp.kind"),
        (ipa_files(), Stamp("1.0.0", 2, True), "stamp.debuggable"),
        (apk_files(), Stamp("", None), "version.name"),
        (apk_files(), Stamp("1\n2", None), "version.name"),
        (apk_files(), Stamp(None, 0), "version.code"),
        (aab_files(), Stamp(None, 2_100_000_001), "version.code"),
        (
            {"Payload/P.app/Info.plist": plistlib.dumps({"CFBundleVersion": "1.2.3"}), "Payload/P.app/P": b"x"},
            Stamp("1.0.0"),
            "stamp.code",
        ),
    ],
)
def test_what_cannot_be_stamped(files: dict[str, bytes], stamp: Stamp, code: str, tmp_path: Path) -> None:
    source = write_zip_file(tmp_path / "a", files)
    with FileBytes(source) as stream, refuses(code):
        stamp_bundle(stream, tmp_path / "o", stamp)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a"]


def test_a_stamp_that_does_not_take_is_noticed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    source = write_zip_file(tmp_path / "a", apk_files())
    monkeypatch.setattr("rampa.core.bundle.stamp.write_stamp", lambda *_: None)
    with FileBytes(source) as stream, refuses("stamp.unread", "does not say what was written"):
        stamp_bundle(stream, tmp_path / "o", Stamp("9.9.9"))
    assert not (tmp_path / "o").exists()


@pytest.mark.parametrize(
    ("files", "code"),
    [
        (aab_files(), "split.kind"),
        ({k: v for k, v in apk_files().items() if "x86_64" not in k}, "split.one"),
        (without_code(), "split.code"),
    ],
)
def test_what_cannot_be_split(files: dict[str, bytes], code: str, tmp_path: Path) -> None:
    source = write_zip_file(tmp_path / "a", files)
    with FileBytes(source) as stream, refuses(code):
        split_package(stream, tmp_path / "o")


def test_what_cannot_be_assembled(tmp_path: Path) -> None:
    with refuses("folder.missing"):
        assemble_package(tmp_path / "none", tmp_path / "o", Stamp())
    with refuses("assemble.manifest"):
        assemble_package(lay_out(tmp_path / "bare", {"x": b"fog"}), tmp_path / "o", Stamp())
    with refuses("assemble.signed", where="META-INF/OLD.SF"):
        assemble_package(lay_out(tmp_path / "old", {**apk_files(), "META-INF/OLD.SF": b"x"}), tmp_path / "o", Stamp())
    linked = lay_out(tmp_path / "linked", apk_files())
    (linked / "assets/link").symlink_to("maps")
    with refuses("assemble.link"):
        assemble_package(linked, tmp_path / "o", Stamp())
    assert not (tmp_path / "o").exists()


def test_what_cannot_be_signed(tmp_path: Path) -> None:
    ask, key = with_identity(make_identity()), key_of(make_identity())
    with FileBytes(write_zip_file(tmp_path / "ipa", ipa_files())) as stream, refuses("signing.kind"):
        sign_package(stream, tmp_path / "o", ask, key)
    for kind, schemes in (("apk", ["v4"]), ("aab", ["v2"])):
        with refuses("signing.scheme"):
            check_schemes(kind, schemes)
    with FileBytes(write_zip_file(tmp_path / "apk", apk_files())) as stream:
        sign_package(stream, tmp_path / "signed", ask, key)
    for again in (
        lambda s: sign_package(s, tmp_path / "o", ask, key),
        lambda s: stamp_bundle(s, tmp_path / "o", Stamp("1")),
    ):
        with FileBytes(tmp_path / "signed") as stream, refuses("signing.twice"):
            again(stream)
