"""Installing a bundle as players get it: of each kind, over an older one, by a successor's key; and what is refused."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from rampa.core.bundle.assembly import assemble_package
from rampa.core.bundle.desktop import write_desktop
from rampa.core.bundle.package_signature import key_of, sign_package, with_identity
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.stamp import Stamp
from rampa.core.bundle.zip_writer import Member
from rampa.core.install.from_bundle import BundleInstallation, Promised
from rampa.core.signing import succession
from rampa.core.signing.identity import Identity
from tests.packages import IDENTIFIER, aab_files, apk_files, ipa_files, lay_out, make_identity, plain_zip
from tests.refusals import refuses

OLD, NEW, OTHER = make_identity(), make_identity("quillback-2027"), make_identity("somebody-else")
LINE = succession.extend(succession.begin(OLD), OLD, NEW)


def promised(bundle: Path, code: int, name: str = "1.6.0") -> Promised:
    data = bundle.read_bytes()
    return Promised(IDENTIFIER, "linux", name, code, hashlib.sha256(data).hexdigest(), len(data))


def desktop(kind: str, at: Path, text: bytes) -> Path:
    members = [Member("bin/peatlight", b"\x7fELF", 4, True), Member("signals.txt", text, len(text))]
    with at.open("wb") as out:
        write_desktop(out, kind, "peatlight", members)
    return at


def package(folder: Path, code: int, signer: Identity | None, files: dict[str, bytes], line: bool = False) -> Path:
    plain, out = folder / f"plain-{code}", folder / f"signed-{code}"
    assemble_package(lay_out(folder / f"export-{code}", files), plain, Stamp("1.6.0", code))
    if signer is None:
        return plain
    ask = with_identity(signer, LINE, OLD) if line else with_identity(signer)
    with FileBytes(plain) as source:
        sign_package(source, out, ask, key_of(signer))
    return out


@pytest.mark.parametrize("kind", ["zip", "tar.zst"])
def test_a_desktop_bundle_and_the_next(kind: str, tmp_path: Path) -> None:
    at = BundleInstallation(tmp_path / "device")
    assert at.current() is None
    first = at.install(promised(desktop(kind, tmp_path / "1", b"green"), 1), tmp_path / "1")
    assert (first.files, first.unpacked > 0, first.signer) == (3, True, "")
    seen: list[int] = []
    second = at.install(promised(desktop(kind, tmp_path / "2", b"amber"), 2), tmp_path / "2", seen.append)
    assert (BundleInstallation(tmp_path / "device").current(), sum(seen)) == (second, second.unpacked)
    tree = at.tree(second) / "peatlight"
    assert ((tree / "signals.txt").read_bytes(), (tree / "bin/peatlight").stat().st_mode & 0o777) == (b"amber", 0o755)
    assert [p.name for p in (tmp_path / "device" / "trees").iterdir()] == [second.promised.sha256]
    with refuses("bundle.older", r"1.6.0 \(2\) is installed, and 1.6.0 \(1\) is older"):
        at.install(first.promised, tmp_path / "1")


@pytest.mark.parametrize(("files", "signer"), [(apk_files(), OLD), (aab_files(), OLD), (ipa_files(), None)])
def test_packages_of_handhelds(files: dict[str, bytes], signer: Identity | None, tmp_path: Path) -> None:
    bundle = package(tmp_path, 7, signer, files)
    made = BundleInstallation(tmp_path / "device").install(promised(bundle, 7), bundle)
    assert (made.signer, made.files >= len(files)) == (signer.fingerprint if signer else "", True)


def test_only_a_successor_follows_a_key(tmp_path: Path) -> None:
    at = BundleInstallation(tmp_path / "device")
    # v3 alone on devices that know it: older schemes stay with the old key.
    for code, signer, line in ((1, OLD, False), (2, NEW, True)):
        bundle = package(tmp_path, code, signer, apk_files(), line)
        assert at.install(promised(bundle, code), bundle).signer == signer.fingerprint
    before = at.current()
    for code, signer in ((3, OTHER), (4, OLD)):
        bundle = package(tmp_path, code, signer, apk_files())
        with refuses("bundle.signer", "what is installed was signed with"):
            at.install(promised(bundle, code), bundle)
    assert at.current() == before


Change = Callable[[Path], Promised]


def rewritten(at: Path, data: bytes) -> Promised:
    at.write_bytes(data)
    return promised(at, 5)


REFUSED: dict[str, tuple[Change, str]] = {
    "cut": (lambda at: (promised(at, 5), at.write_bytes(at.read_bytes()[:-9]))[0], "bundle.other"),
    "unsigned": (lambda at: rewritten(at, at.with_name("plain-5").read_bytes()), "bundle.signature"),
    "code": (lambda at: promised(at, 6), "bundle.identity"),
    "title": (lambda at: replace(promised(at, 5), identifier="example.other"), "bundle.identity"),
    "no archive": (lambda at: rewritten(at, b"PK\x03\x04" + bytes(90)), "zip.not"),
    "a path outside": (lambda at: rewritten(at, plain_zip({"top/../../x": b"fog"})), "zip.path"),
    "sums": (lambda at: rewritten(at, plain_zip({"t/SHA256SUMS": b"0" * 64 + b"  a\n", "t/a": b"fog"})), "sums.other"),
}


@pytest.mark.parametrize("case", REFUSED)
def test_what_is_refused_leaves_what_was_there(case: str, tmp_path: Path) -> None:
    at = BundleInstallation(tmp_path / "device")
    there = at.install(promised(desktop("zip", tmp_path / "1", b"green"), 1), tmp_path / "1")
    bundle = package(tmp_path, 5, OLD, apk_files())
    change, code = REFUSED[case]
    with refuses(code):
        at.install(change(bundle), bundle)
    assert at.current() == there
    assert (at.tree(there) / "peatlight" / "signals.txt").read_bytes() == b"green"


def test_a_disk_without_room_says_how_much_it_needs(tmp_path: Path) -> None:
    bundle = desktop("zip", tmp_path / "1", b"fog" * 9000)
    with refuses("disk.full", "MB more on the disk"):
        BundleInstallation(tmp_path / "device", room=20_000).install(promised(bundle, 1), bundle)


def test_a_bundle_that_unpacks_to_more_than_any_disk_is_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("rampa.core.install.from_bundle.LARGEST", 5_000)
    bundle = desktop("tar.zst", tmp_path / "1", bytes(90_000))
    with refuses("bundle.large"):
        BundleInstallation(tmp_path / "device").install(promised(bundle, 1), bundle)


def test_a_record_that_cannot_be_read_is_said(tmp_path: Path) -> None:
    at = BundleInstallation(tmp_path / "device")
    (tmp_path / "device" / "installed.json").write_text("[fog")
    with refuses("install.record", "cannot be read"):
        at.current()
