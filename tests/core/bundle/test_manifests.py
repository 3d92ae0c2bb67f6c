"""Manifests in binary XML, protocol buffers and property lists: read, and changed without touching the rest."""

from __future__ import annotations

from pathlib import Path

import pytest
from demo.lantern_export import manifests
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.bundle.android_xml import BinaryXml
from rampa.core.bundle.assembly import assemble_package
from rampa.core.bundle.package import read_facts
from rampa.core.bundle.package_signature import key_of, sign_package, with_identity
from rampa.core.bundle.property_list import PropertyList
from rampa.core.bundle.proto_xml import ProtoXml
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.split import split_package
from rampa.core.bundle.stamp import Stamp, stamp_bundle
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.check.package import ExpectedPackage, check_package
from rampa.core.errors import Damaged
from tests.packages import (
    IDENTIFIER,
    LIBRARY,
    aab_files,
    apk_files,
    ipa_files,
    lay_out,
    make_identity,
    root,
    write_zip_file,
)
from tests.refusals import refuses

NAMES = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), min_size=1, max_size=120)
BINARY = {utf8: manifests.binary_xml(root(), utf8) for utf8 in (True, False)}
PROTO = manifests.proto_xml(root())


@given(NAMES, st.integers(1, 2_100_000_000), st.booleans(), st.booleans())
def test_binary_xml_keeps_the_rest(name: str, code: int, debuggable: bool, utf8: bool) -> None:
    before = BinaryXml(BINARY[utf8])
    changed = BinaryXml(BINARY[utf8])
    changed.set("manifest", "versionName", name)
    changed.set("manifest", "versionCode", code)
    changed.set("application", "debuggable", debuggable)
    after = BinaryXml(changed.encode()).root
    assert (after.attributes.pop("versionName"), after.attributes.pop("versionCode")) == (name, code)
    app = after.first("application")
    assert app is not None
    assert app.attributes.pop("debuggable") is debuggable
    del before.root.attributes["versionName"], before.root.attributes["versionCode"]
    assert after == before.root


@given(NAMES, st.integers(1, 2_100_000_000), st.booleans())
def test_protocol_buffers_keep_the_rest(name: str, code: int, debuggable: bool) -> None:
    before, changed = ProtoXml(PROTO), ProtoXml(PROTO + b"\xfa\x3e\x03fog")
    changed.set("manifest", "versionName", name)
    changed.set("manifest", "versionCode", code)
    changed.set("application", "debuggable", debuggable)
    assert changed.encode().endswith(b"\xfa\x3e\x03fog"), "a field that nobody knows stays"
    after = ProtoXml(changed.encode()).root
    assert (after.attributes.pop("versionName"), after.attributes.pop("versionCode")) == (name, code)
    app = after.first("application")
    assert app is not None
    assert app.attributes.pop("debuggable") is debuggable
    del before.root.attributes["versionName"], before.root.attributes["versionCode"]
    assert after == before.root


@settings(max_examples=300, deadline=None)
@given(st.sampled_from([BINARY[True], BINARY[False], PROTO, manifests.info_plist(IDENTIFIER, "15.0")]), st.data())
def test_damaged_manifests_are_our_error(good: bytes, data: st.DataObject) -> None:
    bad = bytearray(good)
    for _ in range(data.draw(st.integers(1, 4))):
        bad[data.draw(st.integers(0, len(bad) - 1))] = data.draw(st.integers(0, 255))
    cut = bytes(bad[: data.draw(st.integers(0, len(bad)))])
    for reader in (BinaryXml, ProtoXml, PropertyList):
        try:
            reader(cut)
        except Damaged:
            pass


@pytest.mark.parametrize(("kind", "files"), [("apk", apk_files()), ("aab", aab_files()), ("ipa", ipa_files())])
def test_a_folder_becomes_a_package_that_says_its_version(kind: str, files: dict[str, bytes], tmp_path: Path) -> None:
    folder = lay_out(tmp_path / "export", files)
    facts = assemble_package(folder, tmp_path / "one", Stamp("1.6.0", 41))
    assert (facts.kind, facts.identifier, facts.version_name, facts.version_code) == (kind, IDENTIFIER, "1.6.0", 41)
    assemble_package(folder, tmp_path / "two", Stamp("1.6.0", 41))
    assert (tmp_path / "one").read_bytes() == (tmp_path / "two").read_bytes()
    archive = read_zip(FileBytes(tmp_path / "one"))
    assert {e.name for e in archive.entries} == set(files)
    for entry in archive.entries:
        if kind == "apk" and entry.name.endswith((".so", ".arsc")):
            assert entry.method == 0
            assert entry.data % (16384 if entry.name.endswith(".so") else 4) == 0


def test_stamping_changes_the_manifest_alone(tmp_path: Path) -> None:
    source = write_zip_file(tmp_path / "plain", apk_files(debuggable=True))
    with FileBytes(source) as stream:
        facts = stamp_bundle(stream, tmp_path / "o", Stamp("2.0.0", 99, False))
    assert (facts.version_name, facts.version_code, facts.debuggable) == ("2.0.0", 99, False)
    before, after = read_zip(FileBytes(source)), read_zip(FileBytes(tmp_path / "o"))
    for entry in before.entries:
        if entry.name != "AndroidManifest.xml":
            assert b"".join(after.stored(after.entry(entry.name))) == b"".join(before.stored(entry))


def test_what_cannot_be_stamped_is_said(tmp_path: Path) -> None:
    plain = write_zip_file(tmp_path / "z", {"top/x": b"fog"})
    with FileBytes(plain) as stream, refuses("stamp.kind", "no place for a version"):
        stamp_bundle(stream, tmp_path / "o", Stamp("1.0.0"))
    apk = write_zip_file(tmp_path / "a", apk_files())
    with FileBytes(apk) as stream, refuses("version.code", "lies between 1 and"):
        stamp_bundle(stream, tmp_path / "o", Stamp(None, 2_100_000_001))
    with FileBytes(apk) as stream:
        sign_package(stream, tmp_path / "s", with_identity(make_identity()), key_of(make_identity()))
    with FileBytes(tmp_path / "s") as stream, refuses("signing.twice", "signed already"):
        stamp_bundle(stream, tmp_path / "o", Stamp("1.0.0"))
    with refuses("assemble.manifest", "no manifest"):
        assemble_package(lay_out(tmp_path / "e", {"x": b"fog"}), tmp_path / "o", Stamp())
    with refuses("assemble.signed", "signature from before"):
        assemble_package(lay_out(tmp_path / "f", {**apk_files(), "META-INF/OLD.SF": b"x"}), tmp_path / "o", Stamp())


def findings(tmp_path: Path, files: dict[str, bytes], **more: object) -> dict[str, str]:
    source = write_zip_file(tmp_path / "p", files)
    return {f.code: f.message for f in check_package(read_zip(FileBytes(source)), ExpectedPackage(**more))}  # type: ignore[arg-type]


def test_what_a_storefront_would_refuse_is_found(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    found = findings(
        tmp_path,
        apk_files(debuggable=True),
        identifier="example.other",
        version_code=7,
        architectures=("arm64", "arm32"),
    )
    assert {"bundle.debuggable", "bundle.identifier", "bundle.version-code", "bundle.architecture-missing"} <= set(
        found
    )
    assert "bundle.debuggable" not in findings(tmp_path, apk_files(debuggable=True), release=False)
    uneven = {**apk_files(), "lib/arm64-v8a/libfog.so": LIBRARY}
    assert findings(tmp_path, uneven)["bundle.library-missing"] == "x86_64 lacks libfog.so, which arm64 has"
    small = LIBRARY[:112] + (4096).to_bytes(8, "little") + LIBRARY[120:]
    assert "4 KiB" in findings(tmp_path, {**apk_files(), "lib/arm64-v8a/libpeatlight.so": small})["bundle.page-size"]
    for name, number in (("testOnly", 0x01010272), ("extractNativeLibs", 0x010104EA)):
        monkeypatch.setitem(manifests.IDS, name, number)
    for attribute, value, code in (
        ("testOnly", True, "bundle.test-only"),
        ("extractNativeLibs", False, "bundle.library-packed"),
    ):
        assert code in findings(tmp_path, apk_files() | {"AndroidManifest.xml": with_application(attribute, value)})
    stored = write_zip_file(tmp_path / "stored", apk_files(), stored=True)
    assert "bundle.unaligned" in {f.code for f in check_package(read_zip(FileBytes(stored)), ExpectedPackage())}


def with_application(attribute: str, value: bool) -> bytes:
    tree = root()
    next(n for n in tree.children if n.name == "application").own[attribute] = value
    return manifests.binary_xml(tree)


def test_a_package_splits_by_architecture(tmp_path: Path) -> None:
    assemble_package(lay_out(tmp_path / "e", apk_files()), tmp_path / "peatlight.apk", Stamp("1.6.0", 41))
    with FileBytes(tmp_path / "peatlight.apk") as source:
        pieces = split_package(source, tmp_path / "split")
    assert [(p.architecture, p.version_code, p.file.name) for p in pieces] == [
        ("arm64", 415, "peatlight-arm64.apk"), ("x86_64", 416, "peatlight-x86_64.apk"),
    ]  # fmt: skip
    facts = read_facts(read_zip(FileBytes(pieces[0].file)))
    assert (facts.architectures, facts.version_code) == (("arm64",), 415)
    with FileBytes(pieces[0].file) as source, refuses("split.one", "nothing to split: it has arm64"):
        split_package(source, tmp_path / "again")
