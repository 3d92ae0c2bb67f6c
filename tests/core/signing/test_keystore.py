"""Keystores of other origin: OpenSSL's old and new ones, a Java keystore with several keys; and each way to be wrong."""

from __future__ import annotations

import datetime as dt
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from asn1crypto import pkcs12 as asn1_pkcs12
from cryptography.hazmat.primitives.asymmetric import dsa
from cryptography.hazmat.primitives.serialization import (
    BestAvailableEncryption,
    Encoding,
    NoEncryption,
    PrivateFormat,
    pkcs12,
)
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.errors import RampaError, Refused
from rampa.core.signing import grant, identity, passphrase
from rampa.core.signing.keystore import read_entries, read_pkcs8, read_pkcs12
from rampa.core.signing.seal import read_masters, rewrap, seal, sealed_by, unseal
from rampa.system import RANDOM
from tests.packages import NOW, make_identity
from tests.refusals import refuses

PASSWORD = "a password"
MADE = identity.to_pkcs12(make_identity("k"), "k", PASSWORD)


def openssl(folder: Path, *words: str) -> None:
    subprocess.run(["openssl", *words], cwd=folder, check=True, capture_output=True)


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("keys")
    openssl(
        folder,
        "req",
        "-x509",
        "-newkey",
        "rsa:2048",
        "-nodes",
        "-keyout",
        "k.pem",
        "-out",
        "c.pem",
        "-subj",
        "/CN=old",
        "-days",
        "9000",
    )
    openssl(
        folder,
        "req",
        "-x509",
        "-newkey",
        "rsa:2048",
        "-nodes",
        "-keyout",
        "k2.pem",
        "-out",
        "c2.pem",
        "-subj",
        "/CN=two",
    )
    out = ("-export", "-in", "c.pem", "-inkey", "k.pem", "-name", "fog", "-passout", f"pass:{PASSWORD}")
    for name, more in (("new", []), ("old", ["-legacy"]), ("bare", ["-nomac"])):
        openssl(folder, "pkcs12", *out, *more, "-out", f"{name}.p12")
    return folder


@pytest.mark.parametrize("name", ["new", "old", "bare"])
def test_what_openssl_writes_is_read(name: str, files: Path) -> None:
    entry = read_pkcs12((files / f"{name}.p12").read_bytes(), PASSWORD)
    assert (entry.alias, entry.identity.subject) == ("fog", "CN=old")
    with refuses("key.entry" if name == "bare" else "key.wrong-password"):
        read_pkcs12((files / f"{name}.p12").read_bytes(), "another")


@pytest.mark.slow
@pytest.mark.skipif(not shutil.which("keytool"), reason="there is no JDK on this machine")
def test_a_java_keystore_with_several_keys(tmp_path: Path) -> None:
    for alias in ("fog", "kiln"):
        words = [
            "keytool",
            "-genkeypair",
            "-alias",
            alias,
            "-keyalg",
            "EC",
            "-groupname",
            "secp256r1",
            "-keystore",
            "j.p12",
        ]
        words += ["-storetype", "PKCS12", "-storepass", PASSWORD, "-dname", f"CN={alias}", "-validity", "9000"]
        subprocess.run(words, cwd=tmp_path, check=True, capture_output=True)
    data = (tmp_path / "j.p12").read_bytes()
    assert read_pkcs12(data, PASSWORD, "KILN").identity.subject == "CN=kiln"
    with refuses("key.several", "holds 2 keys") as error:
        read_pkcs12(data, PASSWORD)
    assert "fog, kiln" in error.value.hint
    with refuses("key.alias", "no entry 'marrow'"):
        read_pkcs12(data, PASSWORD, "marrow")


def test_pkcs8_with_its_certificate(files: Path) -> None:
    key, certificate = (files / "k.pem").read_bytes(), (files / "c.pem").read_bytes()
    assert read_pkcs8(key, certificate).subject == "CN=old"
    with refuses("key.mismatch", "does not belong to the certificate"):
        read_pkcs8(key, (files / "c2.pem").read_bytes())
    made = make_identity("k")
    locked = made.key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, BestAvailableEncryption(b"a password"))
    der = made.key.private_bytes(Encoding.DER, PrivateFormat.PKCS8, NoEncryption())
    own = made.certificate.public_bytes(Encoding.DER)
    assert read_pkcs8(locked, own, PASSWORD).fingerprint == read_pkcs8(der, own).fingerprint == made.fingerprint
    with refuses("key.password", "has a password, and none was given"):
        read_pkcs8(locked, own)
    with refuses("key.wrong-password", "password does not open this private key"):
        read_pkcs8(locked, own, "another one")


SENTENCES = [
    (lambda: (MADE, "another password"), "key.wrong-password", "password does not open"),
    (lambda: (MADE[:-40], PASSWORD), "key.pkcs12", "cut off or damaged"),
    (lambda: (MADE[: len(MADE) // 2], PASSWORD), "key.pkcs12", "cut off or damaged"),
    (lambda: (b"noise", PASSWORD), "key.pkcs12", "not a PKCS#12 file"),
    (lambda: (b"\xfe\xed\xfe\xed\0\0\0\2", PASSWORD), "key.old-keystore", "Java keystore of the old form"),
]


@pytest.mark.parametrize(("make", "code", "says"), SENTENCES)
def test_each_way_to_be_wrong_has_its_sentence(make, code: str, says: str) -> None:  # type: ignore[no-untyped-def]
    with refuses(code, says):
        read_pkcs12(*make())


def certificate_alone() -> bytes:
    return pkcs12.serialize_key_and_certificates(
        b"k", None, None, [make_identity("k").certificate], BestAvailableEncryption(PASSWORD.encode())
    )


def with_rounds(rounds: int) -> bytes:
    """The same file, which asks for so many rounds of its password before anything is read."""
    pfx = asn1_pkcs12.Pfx.load(MADE)
    pfx["mac_data"]["iterations"] = rounds
    return bytes(pfx.dump(force=True))


def by_another_cipher() -> bytes:
    """A safe under a scheme that nobody here knows: PBES1 with DES (RFC 8018, appendix A.3)."""
    pfx = asn1_pkcs12.Pfx.load(MADE)
    safes = asn1_pkcs12.AuthenticatedSafe.load(pfx["auth_safe"]["content"].native)
    for safe in safes:
        if safe["content_type"].native == "encrypted_data":
            algorithm = {"algorithm": "pbes1_sha1_des", "parameters": {"salt": b"12345678", "iterations": 2048}}
            safe["content"]["encrypted_content_info"]["content_encryption_algorithm"] = algorithm
    pfx["auth_safe"]["content"] = safes.dump(force=True)
    plain = {"auth_safe": pfx["auth_safe"], "version": "v3"}
    return bytes(asn1_pkcs12.Pfx(plain).dump(force=True))


@pytest.mark.parametrize(
    ("make", "code"),
    [
        (certificate_alone, "key.none"),
        (lambda: with_rounds(0), "key.rounds"),
        (lambda: with_rounds(2_000_000_000), "key.rounds"),
        (by_another_cipher, "key.cipher"),
    ],
)
def test_a_keystore_that_cannot_be_used_says_why(make: Callable[[], bytes], code: str) -> None:
    with refuses(code):
        read_entries(make(), PASSWORD)


def test_kinds_that_cannot_sign_are_said() -> None:
    key = dsa.generate_private_key(2048)
    data = key.private_bytes(Encoding.DER, PrivateFormat.PKCS8, NoEncryption())
    with refuses("key.kind", "this kind of key cannot sign"):
        read_pkcs8(data, make_identity("k").certificate.public_bytes(Encoding.DER))


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, len(MADE) - 1), st.integers(0, 255)), min_size=1, max_size=4),
    st.integers(1, len(MADE)),
)
def test_damaged_keystores_are_our_error(changes: list[tuple[int, int]], end: int) -> None:
    bad = bytearray(MADE)
    for at, value in changes:
        bad[at] = value
    try:
        found = read_entries(bytes(bad[:end]), PASSWORD)
    except RampaError:
        return
    assert [e.identity.fingerprint for e in found] == [make_identity("k").fingerprint]


def test_validity_is_warned_of() -> None:
    made = identity.make("k", "Q", "ec-p256", NOW, 2)
    assert "ends in" in identity.validity_warning(None, made.not_after, NOW + dt.timedelta(days=500))
    assert "expired on" in identity.validity_warning(None, made.not_after, NOW + dt.timedelta(days=900))
    assert "lasts 2 years" in identity.shortness_warning(made.not_after, NOW)
    assert identity.shortness_warning(make_identity("k").not_after, NOW) == ""


def test_a_passphrase_is_a_second_lock() -> None:
    locked = passphrase.lock(b"secret", "night shift 1907", "identity:a", random=RANDOM)
    assert b"secret" not in locked
    assert passphrase.unlock(locked, "night shift 1907", "identity:a") == b"secret"
    with refuses("key.wrong-passphrase", "does not unlock"):
        passphrase.unlock(locked, "night shift 1908", "identity:a")
    with refuses("key.wrong-passphrase"):
        passphrase.unlock(locked, "night shift 1907", "identity:b")
    with refuses("key.passphrase", r"Use at least|has 5 characters"):
        passphrase.lock(b"secret", "short", "a", random=RANDOM)
    with refuses("vault.damaged"):
        passphrase.unlock(locked[:20], "night shift 1907", "a")


def test_the_master_key_changes_while_both_open() -> None:
    old, new = bytes(32), bytes(range(32))
    sealed = seal(b"secret", old, "a", random=RANDOM)
    moved = rewrap(sealed, (new, old), "a", random=RANDOM)
    assert unseal(moved, new, "a") == unseal(moved, (old, new), "a") == b"secret"
    assert sealed_by(moved, new, "a")
    assert not sealed_by(moved, old, "a")
    with refuses("vault.key", "master key does not open"):
        unseal(moved, old, "a")
    assert read_masters(new.hex() + "\n" + old.hex() + "\n") == (new, old)
    with refuses("vault.master", "64 hexadecimal"):
        read_masters("fog")


def test_a_grant_lets_its_devices_run() -> None:
    made = make_identity("k")
    end = NOW + dt.timedelta(days=30)
    one = grant.Grant(1, "example.quillback.peatlight", made.fingerprint, "testing", ("moss-handset",), NOW, end)
    signed = grant.sign(one, made)
    assert grant.read(signed) == one
    grant.must_allow(one, "moss-handset", one.identifier, made.fingerprint, NOW)
    for device, moment, says in (("loft-tablet", NOW, "does not list loft-tablet"), ("moss-handset", end, "ended on")):
        with pytest.raises(Refused, match=says):
            grant.must_allow(one, device, one.identifier, made.fingerprint, moment)
    with refuses("grant.other", "another title or another certificate"):
        grant.must_allow(one, "moss-handset", one.identifier, "0" * 64, NOW)
    with refuses("signature.forged"):
        grant.read(signed.replace(b"moss-handset", b"kiln-handset"))
    with refuses("grant.devices", "each once"):
        grant.Grant(1, "a.b", made.fingerprint, "testing", ("a", "a"), NOW, end)
