"""JAR signatures from a stranger: every way to slip an entry past them, and the error that it gives."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Callable

import pytest

from rampa.core.bundle import jar_signature
from rampa.core.bundle.jar_signature import MANIFEST, read_sections, section, verify_jar
from rampa.core.bundle.sources import BytesSource
from rampa.core.bundle.zip_reader import Archive, read_zip
from tests.packages import make_identity, plain_zip
from tests.refusals import refuses

MADE = make_identity()
FILES = {"assets/fog.bin": b"fog", "assets/kiln.bin": b"kiln"}
LONG = "assets/" + "thaw-" * 30 + ".bin"


def archive(files: dict[str, bytes]) -> Archive:
    return read_zip(BytesSource(plain_zip(files)))


def signed(files: dict[str, bytes] = FILES, newer: tuple[int, ...] = ()) -> dict[str, bytes]:
    """The same files with a signature that holds."""
    made = jar_signature.make_files(archive(files), newer)
    block = jar_signature.block(made.signed, MADE)
    return {**files, MANIFEST: made.manifest, "META-INF/RAMPA.SF": made.signed, "META-INF/RAMPA.EC": block}


def test_a_signature_holds_and_says_what_else_signed() -> None:
    (found,) = verify_jar(archive(signed({**FILES, LONG: b"long"}, newer=(2, 3))))
    assert (found.signer.fingerprint, found.newer, found.weak) == (MADE.fingerprint, (2, 3), False)
    assert verify_jar(archive(FILES)) == []
    assert verify_jar(archive({**FILES, MANIFEST: b"Manifest-Version: 1.0\r\n\r\n"})) == []


def test_lines_fold_at_72_bytes_and_unfold() -> None:
    made = section([("Name", LONG)])
    assert max(len(line) for line in made.split(b"\r\n")) <= 70
    assert read_sections(made)[0].values == {"Name": LONG}
    for end in (b"\n", b"\r"):
        assert read_sections(made.replace(b"\r\n", end))[0].values == {"Name": LONG}


def test_what_an_unsigned_manifest_says_stays() -> None:
    files = {**FILES, MANIFEST: section([("Manifest-Version", "1.0"), ("Main-Class", "Peatlight")])}
    made = jar_signature.make_files(archive(files), ())
    assert read_sections(made.manifest)[0].values == {"Manifest-Version": "1.0", "Main-Class": "Peatlight"}


def digest(data: bytes, name: str = "sha256") -> str:
    return base64.b64encode(hashlib.new(name, data).digest()).decode()


def resigned(signature_file: bytes, **more: bytes) -> dict[str, bytes]:
    """A signature file of one's own making, truly signed."""
    return {
        **signed(),
        "META-INF/RAMPA.SF": signature_file,
        "META-INF/RAMPA.EC": jar_signature.block(signature_file, MADE),
        **more,
    }


def by_sections(name: str = "SHA-256-Digest", algorithm: str = "sha256", leave: int = 0) -> bytes:
    """A signature file that vouches for each section of the manifest, and not for the whole."""
    named = read_sections(signed()[MANIFEST])[1:][leave:]
    parts = [section([("Name", s.values["Name"]), (name, digest(s.raw, algorithm))]) for s in named]
    return section([("Signature-Version", "1.0")]) + b"".join(parts)


def test_sections_vouch_one_by_one() -> None:
    (found,) = verify_jar(archive(resigned(by_sections())))
    assert not found.weak
    (found,) = verify_jar(archive(resigned(by_sections("SHA1-Digest", "sha1"))))
    assert found.weak


def weakly_whole() -> bytes:
    return section([("Signature-Version", "1.0"), ("SHA1-Digest-Manifest", digest(signed()[MANIFEST], "sha1"))])


def test_a_whole_manifest_by_sha_1_is_weak() -> None:
    (found,) = verify_jar(archive(resigned(weakly_whole())))
    assert found.weak


def changed_manifest() -> dict[str, bytes]:
    """A manifest whose sections still hold, behind a signature file that vouches for nothing."""
    return resigned(section([("Signature-Version", "1.0")]), **{MANIFEST: section([("Manifest-Version", "1.0")])})


HOSTILE: dict[str, tuple[Callable[[], dict[str, bytes]], str]] = {
    "an entry added": (lambda: {**signed(), "assets/bog.bin": b"bog"}, "signature.uncovered"),
    "an entry changed": (lambda: {**signed(), "assets/fog.bin": b"bog"}, "signature.other"),
    "an entry taken away": (
        lambda: {k: v for k, v in signed().items() if k != "assets/fog.bin"},
        "signature.gone",
    ),
    "a section changed": (
        lambda: resigned(
            by_sections(), **{MANIFEST: signed()[MANIFEST].replace(digest(b"fog").encode(), digest(b"bog").encode())}
        ),
        "signature.other",
    ),
    "a section not vouched for": (lambda: resigned(by_sections(leave=1)), "signature.uncovered"),
    "a digest of no known kind": (lambda: resigned(by_sections("MD5-Digest", "md5")), "signature.uncovered"),
    "nothing vouched for": (changed_manifest, "signature.manifest"),
    "an empty manifest": (lambda: {**signed(), MANIFEST: b""}, "signature.manifest"),
    "no block": (lambda: {k: v for k, v in signed().items() if not k.endswith(".EC")}, "signature.block"),
    "two blocks": (lambda: {**signed(), "META-INF/RAMPA.RSA": b"fog"}, "signature.block"),
    "a block of noise": (lambda: {**signed(), "META-INF/RAMPA.EC": b"fog"}, "signature.damaged"),
    "a block over another file": (
        lambda: {**signed(), "META-INF/RAMPA.EC": jar_signature.block(b"fog", MADE)},
        "signature.forged",
    ),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_trick_is_refused(name: str) -> None:
    make, code = HOSTILE[name]
    with refuses(code):
        verify_jar(archive(make()))
