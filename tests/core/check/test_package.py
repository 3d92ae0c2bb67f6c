"""What would make a storefront or a device refuse a package: every finding whole, and what is no finding."""

from __future__ import annotations

from collections.abc import Mapping

import pytest
from demo.lantern_export import manifests
from demo.lantern_export.programs import stand_in

from rampa.core.bundle.sources import BytesSource
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.check.findings import Finding
from rampa.core.check.package import ExpectedPackage, check_package
from tests.packages import IDENTIFIER, LIBRARY, aab_files, apk_files, ipa_files, plain_zip, root

ARM, INTEL = "lib/arm64-v8a/", "lib/x86_64/"
STAMP = "Write it with `rampa bundle stamp`, or see what the export put there."
PLAYERS = ExpectedPackage()
BEFORE = ExpectedPackage(release=False)


def found(files: Mapping[str, bytes], expected: ExpectedPackage = PLAYERS, *, stored: bool = False) -> list[Finding]:
    """Without what an archive of the standard library always has: it aligns nothing."""
    return check_package(read_zip(BytesSource(plain_zip(dict(files), stored))), expected)


def codes(files: Mapping[str, bytes], expected: ExpectedPackage = PLAYERS, **more: bool) -> list[tuple[str, str, str]]:
    return [(f.severity, f.code, f.where) for f in found(files, expected, **more) if f.code != "bundle.unaligned"]


def with_manifest(monkeypatch: pytest.MonkeyPatch, **attributes: bool) -> dict[str, bytes]:
    for name, number in (("testOnly", 0x01010272), ("extractNativeLibs", 0x010104EA)):
        monkeypatch.setitem(manifests.IDS, name, number)
    tree = root()
    next(n for n in tree.children if n.name == "application").own.update(attributes)
    return apk_files() | {"AndroidManifest.xml": manifests.binary_xml(tree)}


def paged(size: int, bits: int = 64) -> bytes:
    """A library that is linked for pages of so many bytes."""
    return LIBRARY[:4] + bytes([2 if bits == 64 else 1]) + LIBRARY[5:112] + size.to_bytes(8, "little") + LIBRARY[120:]


def test_a_good_package_has_no_findings() -> None:
    for files in (apk_files(), aab_files(), ipa_files()):
        assert codes(files) == []


@pytest.mark.parametrize(
    ("expected", "finding"),
    [
        (
            ExpectedPackage(identifier="example.other"),
            (
                "bundle.identifier",
                f"the bundle's identifier is {IDENTIFIER}, and should be example.other",
                "identifier",
            ),
        ),
        (
            ExpectedPackage(version_name="9.9.9"),
            ("bundle.version-name", "the bundle's version name is 0.0.0, and should be 9.9.9", "version name"),
        ),
        (
            ExpectedPackage(version_code=77),
            ("bundle.version-code", "the bundle's version code is 1, and should be 77", "version code"),
        ),
    ],
)
@pytest.mark.parametrize("files", [apk_files(), aab_files(), ipa_files()])
def test_what_it_says_of_itself_is_what_was_meant(
    files: dict[str, bytes], expected: ExpectedPackage, finding: tuple[str, str, str]
) -> None:
    code, message, where = finding
    told = [f for f in found(files, expected) if f.code == code]
    assert [(f.severity, f.where, f.hint) for f in told] == [("blocker", where, STAMP)]
    assert told[0].message.split(" is ")[0] == message.split(" is ")[0]
    assert told[0].message.endswith(message.split(", and ")[1])


def test_what_nobody_expects_is_not_compared() -> None:
    assert codes(apk_files(), ExpectedPackage(identifier=IDENTIFIER)) == []
    assert codes({"SHA256SUMS": b""}, ExpectedPackage(identifier="example.other", version_code=9)) == []


def test_a_debugger_and_a_test_build_are_for_the_studio_only(monkeypatch: pytest.MonkeyPatch) -> None:
    debuggable = apk_files(debuggable=True)
    told = next(f for f in found(debuggable) if f.code == "bundle.debuggable")
    assert (told.severity, told.where) == ("blocker", "manifest")
    assert told.message == "a debugger can attach to it: storefronts refuse that"
    assert "rampa bundle stamp --not-debuggable" in told.hint
    assert codes(debuggable, BEFORE) == []
    tests_only = with_manifest(monkeypatch, testOnly=True)
    told = next(f for f in found(tests_only) if f.code == "bundle.test-only")
    assert (told.severity, told.where, told.hint) == ("blocker", "manifest", "Export it as a release.")
    assert codes(tests_only, BEFORE) == []


def test_an_architecture_that_was_promised_and_is_not_there() -> None:
    told = [
        f
        for f in found(apk_files(), ExpectedPackage(architectures=("arm64", "arm32", "x86")))
        if "architecture" in f.code
    ]
    assert [f.message for f in told] == [
        f"the profile builds for {abi}, and the bundle has no libraries for it" for abi in ("arm32", "x86")
    ]
    assert {(f.severity, f.where) for f in told} == {("blocker", "lib")}
    without = {name: data for name, data in apk_files().items() if not name.startswith("lib/")}
    assert codes(without, ExpectedPackage(architectures=("arm64",))) == [], "no library at all: it runs everywhere"


def test_a_library_that_one_architecture_lacks_is_a_crash_there() -> None:
    more = {f"{ARM}libfog.so": LIBRARY, f"{ARM}libowl.so": LIBRARY}
    told = next(f for f in found(apk_files() | more) if f.code == "bundle.library-missing")
    assert told.message == "x86_64 lacks libfog.so and 1 more, which arm64 has"
    assert (told.severity, told.where) == ("blocker", "lib/x86_64")
    assert "crash" in told.hint
    both = {f"{ARM}libfog.so": LIBRARY, f"{INTEL}libowl.so": stand_in("elf", ["x86_64"])}
    assert [f.message for f in found(apk_files() | both) if f.code == "bundle.library-missing"] == [
        "arm64 lacks libowl.so, which x86_64 has",
        "x86_64 lacks libfog.so, which arm64 has",
    ]
    modules = aab_files() | {"winter/lib/x86_64/libsnow.so": stand_in("elf", ["x86_64"])}
    assert codes(modules) == [], "modules of an app bundle each stand for themselves"


def test_libraries_that_are_used_inside_the_bundle_are_stored_there(monkeypatch: pytest.MonkeyPatch) -> None:
    inside = with_manifest(monkeypatch, extractNativeLibs=False)
    told = next(f for f in found(inside) if f.code == "bundle.library-packed")
    assert told.message == (
        f"{ARM}libpeatlight.so (one of 2) is packed, and the manifest says that libraries are used inside the bundle"
    )
    assert (told.severity, told.where) == ("blocker", f"{ARM}libpeatlight.so")
    assert "bundle.library-packed" not in {f.code for f in found(inside, stored=True)}
    extracted = with_manifest(monkeypatch, extractNativeLibs=True)
    assert "bundle.library-packed" not in {f.code for f in found(extracted)}


def test_what_is_stored_begins_where_devices_can_map_it() -> None:
    told = {f.where: f for f in found(apk_files(), stored=True) if f.code == "bundle.unaligned"}
    library = told[f"{ARM}libpeatlight.so"]
    assert library.message == f"{ARM}libpeatlight.so (one of 2) does not begin at a multiple of 16 KiB in the bundle"
    words = next(f for f in told.values() if "multiple of 4 bytes" in f.message)
    assert (library.severity, words.severity, words.hint) == ("warning", "warning", library.hint)
    alone = {"AndroidManifest.xml": apk_files()["AndroidManifest.xml"], "META-INF/a": b"x", "META-INF/bc": b"yy"}
    assert all(not f.where.startswith("META-INF/") for f in found(alone, stored=True)), "signatures may lie anywhere"
    assert [f for f in found(aab_files(), stored=True) if f.code == "bundle.unaligned"] == [], (
        "no device maps an app bundle"
    )


@pytest.mark.parametrize(
    ("library", "said"),
    [
        (paged(4096), "4 KiB"),
        (paged(8192), "8 KiB"),
        (paged(16384), ""),
        (paged(65536), ""),
        (b"no library", ""),
        (b"", ""),
    ],
)
def test_libraries_are_linked_for_the_pages_of_new_devices(library: bytes, said: str) -> None:
    files = apk_files() | {f"{ARM}libpeatlight.so": library}
    told = [f for f in found(files) if f.code == "bundle.page-size"]
    assert [f.message for f in told] == ([f"{ARM}libpeatlight.so is linked for pages of {said}"] if said else [])
    assert all(f.severity == "warning" and "-Wl,-z,max-page-size=16384" in f.hint for f in told)


def test_blockers_come_first() -> None:
    files = apk_files(debuggable=True) | {f"{ARM}libpeatlight.so": paged(4096)}
    severities = [f.severity for f in found(files, stored=True)]
    assert severities == sorted(severities, key=["blocker", "warning", "note"].index)
    assert {"blocker", "warning"} <= set(severities)
