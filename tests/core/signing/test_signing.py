"""Identities, signatures, envelopes, sealed secrets. OpenSSL is the second opinion."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import shutil
import subprocess
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.errors import Damaged
from rampa.core.signing import cms, dsse, identity
from rampa.core.signing.keystore import read_pkcs12
from rampa.core.signing.seal import seal, unseal
from rampa.system import RANDOM
from tests.refusals import refuses

NOW = dt.datetime(2026, 11, 23, 12, tzinfo=dt.UTC)
DIGEST = hashlib.sha256(b"a bundle").digest()
needs_openssl = pytest.mark.skipif(not shutil.which("openssl"), reason="openssl is not installed")


@pytest.fixture(scope="module", params=["ec-p256", "ec-p384", "rsa-3072"])
def made(request: pytest.FixtureRequest) -> identity.Identity:
    return identity.make("quillback-2026", "Quillback Works", request.param, NOW)


def test_an_identity_survives_its_file(made: identity.Identity) -> None:
    data = identity.to_pkcs12(made, "quillback-2026", "a password")
    again = read_pkcs12(data, "a password").identity
    assert again.fingerprint == made.fingerprint
    assert again.not_after.year == 2056


@needs_openssl
def test_openssl_reads_the_file(made: identity.Identity, tmp_path: Path) -> None:
    (tmp_path / "k.p12").write_bytes(identity.to_pkcs12(made, "quillback-2026", "a password"))
    command = ["openssl", "pkcs12", "-in", str(tmp_path / "k.p12"), "-passin", "pass:a password", "-nodes"]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert "CN = quillback-2026" in done.stdout
    assert "PRIVATE KEY" in done.stdout


def test_bad_wishes_are_refused() -> None:
    with refuses("key.kind", "no key kind"):
        identity.make("k", "Q", "dsa", NOW)
    with refuses("key.password", "7 characters"):
        identity.to_pkcs12(identity.make("k", "Q", "ec-p256", NOW), "k", "1234567")


def test_a_signature_holds_for_its_content_only(made: identity.Identity) -> None:
    signature = cms.sign_detached(DIGEST, made, NOW)
    assert cms.verify_detached(signature, DIGEST) == made.fingerprint
    with refuses("signature.other", "changed after signing"):
        cms.verify_detached(signature, hashlib.sha256(b"another").digest())


SIGNER = identity.make("k", "Q", "ec-p256", NOW)
SIGNATURE = cms.sign_detached(DIGEST, SIGNER, NOW)


@given(st.data())
def test_a_damaged_signature_never_names_another_content(data: st.DataObject) -> None:
    bad = bytearray(SIGNATURE)
    bad[data.draw(st.integers(0, len(bad) - 1))] ^= data.draw(st.integers(1, 255))
    with pytest.raises(Damaged):
        cms.verify_detached(bytes(bad), hashlib.sha256(b"another").digest())


@needs_openssl
def test_openssl_verifies_the_signature(made: identity.Identity, tmp_path: Path) -> None:
    (tmp_path / "bundle").write_bytes(b"a bundle")
    (tmp_path / "bundle.p7s").write_bytes(cms.sign_detached(DIGEST, made, NOW))
    command = ["openssl", "cms", "-verify", "-binary", "-inform", "DER", "-noverify", "-in", "bundle.p7s"]
    done = subprocess.run([*command, "-content", "bundle"], cwd=tmp_path, capture_output=True, check=True)
    assert done.stdout == b"a bundle"
    (tmp_path / "bundle").write_bytes(b"a bungle")
    assert subprocess.run([*command, "-content", "bundle"], cwd=tmp_path, capture_output=True).returncode != 0


KEY = Ed25519PrivateKey.from_private_bytes(bytes(range(32)))
PUBLIC = KEY.public_key().public_bytes_raw()


def test_the_envelope_is_the_specification_s() -> None:
    assert dsse.pae("http://example.com/HelloWorld", b"hello world") == (
        b"DSSEv1 29 http://example.com/HelloWorld 11 hello world"
    )
    envelope = json.loads(dsse.sign("kind", b"payload", KEY))
    assert set(envelope) == {"payload", "payloadType", "signatures"}
    assert envelope["signatures"][0]["keyid"] == hashlib.sha256(PUBLIC).hexdigest()


@given(st.binary(max_size=60), st.data())
def test_a_changed_envelope_never_gives_another_payload(payload: bytes, data: st.DataObject) -> None:
    envelope = dsse.sign("kind", payload, KEY)
    assert dsse.verify(envelope, "kind", PUBLIC) == payload
    bad = bytearray(envelope)
    bad[data.draw(st.integers(0, len(bad) - 1))] ^= data.draw(st.integers(1, 255))
    try:
        assert dsse.verify(bytes(bad), "kind", PUBLIC) == payload
    except Damaged:
        pass


@pytest.mark.parametrize(
    "junk",
    [b"", b"[]", b"null", b'{"payload": 3}', b"[" * 100_000, b'{"payload":"","payloadType":"kind","signatures":[]}'],
)
def test_junk_is_no_envelope(junk: bytes) -> None:
    with pytest.raises(Damaged):
        dsse.verify(junk, "kind", PUBLIC)


def test_a_sealed_secret_opens_with_its_key_and_label_only() -> None:
    master = bytes(range(32))
    sealed = seal(b"secret", master, "identity:a", random=RANDOM)
    assert b"secret" not in sealed
    assert unseal(sealed, master, "identity:a") == b"secret"
    for key, label, data in [
        (bytes(32), "identity:a", sealed),
        (master, "identity:b", sealed),
        (master, "identity:a", sealed[:-1]),
        (master, "identity:a", b"RSL1"),
        (master, "identity:a", b"XXXX" + sealed[4:]),
    ]:
        with pytest.raises(Damaged):
            unseal(data, key, label)
    with refuses("vault.master"):
        seal(b"", b"short", "x", random=RANDOM)
