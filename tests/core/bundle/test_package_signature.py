"""Signing packages: other readers agree, every change shows, nothing is signed twice, successions are followed."""

from __future__ import annotations

import shutil
import struct
import subprocess
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.bundle import crc32
from rampa.core.bundle.package_signature import (
    PackageSigner,
    key_of,
    sign_package,
    signatures_in,
    take_off_signature,
    with_identity,
)
from rampa.core.bundle.sources import BytesSource, FileBytes
from rampa.core.bundle.verification import verify_package
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.errors import Damaged
from rampa.core.signing import succession
from tests.core.bundle import block_verifier
from tests.packages import aab_files, apk_files, make_identity, plain_zip, write_zip_file
from tests.refusals import refuses
from tests.samples import noise

JAVA = """import java.util.jar.*; import java.util.*;
public class Look { public static void main(String[] a) throws Exception {
  try (JarFile jar = new JarFile(a[0], true)) {
    int signed = 0, all = 0;
    for (Enumeration<JarEntry> e = jar.entries(); e.hasMoreElements();) {
      JarEntry x = e.nextElement();
      jar.getInputStream(x).readAllBytes();
      if (x.isDirectory() || x.getName().startsWith("META-INF/")) continue;
      all++; if (x.getCodeSigners() != null) signed++;
    }
    System.out.println(signed + " of " + all);
  } } }
"""


def signed(tmp_path: Path, files: dict[str, bytes], name: str = "out.apk", **more: object) -> Path:
    made = more.pop("identity", None) or make_identity()
    source = write_zip_file(tmp_path / "plain", files)
    with FileBytes(source) as stream:
        sign_package(stream, tmp_path / name, with_identity(made), key_of(made), **more)  # type: ignore[arg-type]
    return tmp_path / name


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["ec-p256", "ec-p384", "rsa-2048", "rsa-4096"])
def test_a_second_verifier_agrees(kind: str, tmp_path: Path) -> None:
    made = make_identity("k", kind)
    data = signed(tmp_path, apk_files(), identity=made, schemes=["v1", "v2", "v3"]).read_bytes()
    for scheme in ("v2", "v3"):
        assert block_verifier.verify(data, scheme, tmp_path) == made.fingerprint
    seen = verify_package(BytesSource(data))
    assert [s.state for s in seen.schemes] == ["holds"] * 3
    assert seen.holds
    assert seen.fingerprint == made.fingerprint


@pytest.mark.slow
@pytest.mark.parametrize("schemes", [["v2", "v3"], ["v1", "v2", "v3"]])
def test_a_large_package_is_digested_while_it_is_written(schemes: list[str], tmp_path: Path) -> None:
    """Copied entries beside new ones whose heads are written last, over many pieces."""
    made = make_identity()
    files = {f"assets/bog{n}.arc": noise(4_000_000 + n, n) for n in range(3)} | {
        f"assets/fog/{n:05d}.json": b'{"lantern": %d}' % n for n in range(4_000)
    }
    data = signed(tmp_path, apk_files() | files, identity=made, schemes=schemes).read_bytes()
    for scheme in ("v2", "v3"):
        assert block_verifier.verify(data, scheme, tmp_path) == made.fingerprint
    assert verify_package(BytesSource(data)).holds


@pytest.mark.parametrize("kind", ["rsa-2048", "rsa-4096"])
def test_pss_too(kind: str, tmp_path: Path) -> None:
    made = make_identity("k", kind)
    source = write_zip_file(tmp_path / "plain", apk_files())
    with FileBytes(source) as stream:
        sign_package(stream, tmp_path / "o", with_identity(made, padding="rsa-pss"), key_of(made, "rsa-pss"), ["v2"])
    assert block_verifier.verify((tmp_path / "o").read_bytes(), "v2", tmp_path) == made.fingerprint


@pytest.mark.slow
@pytest.mark.skipif(not shutil.which("java"), reason="there is no JDK on this machine")
@pytest.mark.parametrize(("files", "kind"), [(apk_files(), "ec-p256"), (aab_files(), "rsa-2048")])
def test_the_jdk_agrees(files: dict[str, bytes], kind: str, tmp_path: Path) -> None:
    names = (
        {**files, "assets/" + "a" * 90 + "\u00e4lder.txt": b"a long name in UTF-8"} if "classes.dex" in files else files
    )
    bundle = signed(tmp_path, names, identity=make_identity("k", kind), schemes=["v1"])
    (tmp_path / "Look.java").write_text(JAVA)

    def look() -> subprocess.CompletedProcess[str]:
        return subprocess.run(["java", "Look.java", str(bundle)], cwd=tmp_path, capture_output=True, text=True)

    assert look().stdout.strip() == f"{len(names)} of {len(names)}"
    archive = read_zip(FileBytes(bundle))
    entry = next(e for e in archive.entries if e.name.endswith(".so"))
    data = bytearray(bundle.read_bytes())
    data[entry.data + 2] ^= 1
    bundle.write_bytes(data)
    assert look().returncode != 0


def test_the_same_package_signed_twice_gives_the_same_bytes(tmp_path: Path) -> None:
    assert signed(tmp_path, apk_files(), "a").read_bytes() == signed(tmp_path, apk_files(), "b").read_bytes()


def test_levels_say_what_they_look_at(tmp_path: Path) -> None:
    seen = verify_package(FileBytes(signed(tmp_path, apk_files(21))))
    assert [(v.first, v.last, v.scheme, v.installs) for v in seen.levels] == [
        (21, 23, "v1", True), (24, 27, "v2", True), (28, 32, "v3", True), (33, None, "v3", True),
    ]  # fmt: skip
    only = verify_package(FileBytes(signed(tmp_path, apk_files(21), schemes=["v2"])))
    assert not only.holds
    assert only.levels[0].why == "it looks for v1, and there is none"


def test_double_signing_is_refused_or_replaces(tmp_path: Path) -> None:
    first = signed(tmp_path, apk_files())
    other = make_identity("other", "rsa-2048")
    with FileBytes(first) as stream:
        with refuses("signing.twice", "signed already, by v2, v3: a second signature over the first would break both"):
            sign_package(stream, tmp_path / "again", with_identity(other), key_of(other))
        assert not (tmp_path / "again").exists()
        sign_package(stream, tmp_path / "again", with_identity(other), key_of(other), replace=True)
    assert verify_package(FileBytes(tmp_path / "again")).fingerprint == other.fingerprint


def test_stripping_gives_back_what_was_signed(tmp_path: Path) -> None:
    before = {e.name: e.crc for e in read_zip(BytesSource(plain_zip(apk_files()))).entries}
    bundle = signed(tmp_path, apk_files(), schemes=["v1", "v2", "v3"])
    with FileBytes(bundle) as stream:
        take_off_signature(stream, tmp_path / "bare")
    archive = read_zip(FileBytes(tmp_path / "bare"))
    assert signatures_in(archive) == []
    assert {e.name: e.crc for e in archive.entries if e.name != "META-INF/MANIFEST.MF"} == before


def test_a_scheme_that_was_taken_away_is_noticed(tmp_path: Path) -> None:
    data = bytearray(signed(tmp_path, apk_files(21), schemes=["v1", "v2", "v3"]).read_bytes())
    at = data.index(struct.pack("<I", 0xF05368C0))
    data[at : at + 4] = b"\1\2\3\4"
    seen = {s.name: s for s in verify_package(BytesSource(bytes(data))).schemes}
    assert seen["v3"].state == "broken"
    assert "taken away" in seen["v3"].why


BIG = {**apk_files(), "assets/marrow.ktx2": noise(1_300_000, 7)}


@settings(max_examples=25, deadline=None)
@given(st.data())
def test_any_changed_byte_shows(tmp_path_factory: pytest.TempPathFactory, data: st.DataObject) -> None:
    folder = tmp_path_factory.getbasetemp() / "changed"
    folder.mkdir(exist_ok=True)
    if not (folder / "out.apk").exists():
        signed(folder, BIG, schemes=["v1", "v2", "v3"])
    good = (folder / "out.apk").read_bytes()
    bad = bytearray(good)
    bad[data.draw(st.integers(0, len(bad) - 1))] ^= data.draw(st.integers(1, 255))
    try:
        assert not verify_package(BytesSource(bytes(bad))).holds
    except Damaged:
        pass


def test_a_succession_is_followed(tmp_path: Path) -> None:
    old, new = make_identity("old", "rsa-2048"), make_identity("new", "ec-p384")
    line = succession.extend(succession.begin(old), old, new)
    key = PackageSigner(False, ("sha256", "sha512"))
    with FileBytes(write_zip_file(tmp_path / "plain", apk_files(21))) as stream:
        sign_package(stream, tmp_path / "o", with_identity(new, line, old), key)
    seen = verify_package(FileBytes(tmp_path / "o"))
    assert seen.holds
    assert [s.signers[0].fingerprint for s in seen.schemes] == [old.fingerprint, old.fingerprint, new.fingerprint]
    assert seen.line == (old.fingerprint, new.fingerprint)
    assert succession.decode(succession.encode(line)) == line
    with refuses("succession.last", "does not end with"):
        succession.extend(line, old, make_identity("third"))
    forged = (
        line[0],
        succession.extend(
            succession.begin(make_identity("thief", "rsa-2048")), make_identity("thief", "rsa-2048"), new
        )[1],
    )
    with refuses("succession.forged", "not signed by the certificate before it"):
        succession.verify(forged)


def test_a_signature_must_fit_below_4_gib(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rampa.core.bundle.package_signature.z.LIMIT32", 50_000)
    with refuses("signing.zip64"):
        signed(tmp_path, apk_files())
    assert not (tmp_path / "out.apk").exists()


def test_stored_content_is_aligned(tmp_path: Path) -> None:
    source = tmp_path / "plain"
    source.write_bytes(plain_zip(apk_files(), stored=True))
    with FileBytes(source) as stream:
        sign_package(stream, tmp_path / "o", with_identity(make_identity()), key_of(make_identity()))
    for entry in read_zip(FileBytes(tmp_path / "o")).entries:
        assert entry.data % (16384 if entry.name.endswith(".so") else 4) == 0


def test_the_crc_of_two_parts() -> None:
    import zlib

    one, two = noise(70_001, 3), noise(1_234, 4)
    assert crc32.crc32_combine(zlib.crc32(one), zlib.crc32(two), len(two)) == zlib.crc32(one + two)
