"""Signed statements, grants, successions and sealed secrets from a stranger: what each lie gives."""

from __future__ import annotations

import base64
import datetime as dt
import json
from collections.abc import Callable
from dataclasses import replace

import pytest
from asn1crypto import cms as asn1_cms
from cryptography.hazmat.primitives.asymmetric import ec, ed25519
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

from rampa.core.content.depots.choice import Selector
from rampa.core.signing import cms, dsse, grant, identity, passphrase, provenance, statement, succession
from rampa.core.signing.keystore import read_certificate, read_entries, read_pkcs8
from rampa.core.signing.seal import read_masters, seal, unseal
from rampa.system import RANDOM
from tests.packages import NOW, make_identity
from tests.refusals import refuses

KEY = ed25519.Ed25519PrivateKey.from_private_bytes(bytes(range(32)))
PUBLIC = KEY.public_key().public_bytes_raw()
THIEF = ed25519.Ed25519PrivateKey.from_private_bytes(bytes(32))
MADE, NEXT, THIRD = make_identity(), make_identity("next", "rsa-2048"), make_identity("third", "ec-p384")
SAID = statement.Statement(
    "peatlight",
    7,
    "linux-release",
    "linux",
    "1.6.0",
    41,
    "bin/peatlight",
    (
        statement.DepotLine("base", b"\1" * 32, 900),
        statement.DepotLine("finnish", b"\2" * 32, 80, Selector(language="fi")),
    ),
)


def test_a_statement_is_read_as_it_was_signed() -> None:
    assert statement.verify(statement.sign(SAID, KEY), PUBLIC) == SAID


def altered(**changes: object) -> bytes:
    """A statement with other values, truly signed."""
    body = json.loads(base64.b64decode(json.loads(statement.sign(SAID, KEY))["payload"]))
    for name, value in changes.items():
        at, _, field = name.rpartition("__")
        (body[at] if at else body)[field] = value
    return dsse.sign(statement.PAYLOAD_TYPE, json.dumps(body).encode(), KEY)


STATEMENTS: dict[str, tuple[Callable[[], bytes], str]] = {
    "by somebody else": (lambda: statement.sign(SAID, THIEF), "envelope.forged"),
    "noise": (lambda: b"fog", "envelope.damaged"),
    "too large": (lambda: b" " * (dsse.MAX_ENVELOPE + 1), "envelope.damaged"),
    "another kind of envelope": (lambda: dsse.sign("text/plain", b"{}", KEY), "envelope.damaged"),
    "another kind of statement": (lambda: altered(predicateType="fog"), "statement.damaged"),
    "no JSON": (lambda: dsse.sign(statement.PAYLOAD_TYPE, b"fog", KEY), "statement.damaged"),
    "no predicate": (lambda: altered(predicate=[]), "statement.damaged"),
    "a build that is no number": (lambda: altered(predicate__build="fog"), "statement.damaged"),
    "a launch entry outside": (lambda: altered(predicate__launch="../sh"), "path.unsafe"),
    "a depot without a size": (lambda: altered(predicate__sizes={}), "statement.damaged"),
    "a digest that is none": (
        lambda: altered(subject=[{"name": "base", "digest": {"blake3": "fog"}}]),
        "statement.damaged",
    ),
}


@pytest.mark.parametrize("name", STATEMENTS)
def test_a_statement_of_a_stranger_is_refused(name: str) -> None:
    make, code = STATEMENTS[name]
    with refuses(code):
        statement.verify(make(), PUBLIC)


def test_a_statement_is_no_provenance() -> None:
    with refuses("provenance.kind", "not one of provenance"):
        provenance.verify(statement.sign(SAID, KEY), PUBLIC)


END = NOW + dt.timedelta(days=30)
GRANT = grant.Grant(
    1, "example.quillback.peatlight", MADE.fingerprint, "testing", ("loft-tablet", "moss-handset"), NOW, END
)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"purpose": "fun"}, "grant.purpose"),
        ({"devices": ()}, "grant.devices"),
        ({"devices": ("a", "a")}, "grant.devices"),
        ({"devices": tuple(str(n) for n in range(10_001))}, "grant.devices"),
        ({"expires_at": NOW}, "grant.expiry"),
    ],
)
def test_a_grant_that_cannot_be(change: dict[str, object], code: str) -> None:
    with refuses(code):
        replace(GRANT, **change)  # type: ignore[arg-type]


def inside(body: object) -> bytes:
    return cms.sign_inside(json.dumps(body).encode(), MADE)


def said(**changes: object) -> dict[str, object]:
    content, _ = cms.open_inside(grant.sign(GRANT, MADE))
    return {**json.loads(content), **changes}


GRANTS: dict[str, tuple[Callable[[], bytes], str]] = {
    "another kind": (lambda: inside(said(kind="fog")), "grant.kind"),
    "no kind": (lambda: inside({}), "grant.damaged"),
    "no moment": (lambda: inside(said(expires_at="tomorrow")), "grant.damaged"),
    "no devices": (lambda: inside(said(devices=[])), "grant.damaged"),
    "no JSON": (lambda: cms.sign_inside(b"fog", MADE), "grant.damaged"),
    "for another certificate": (lambda: inside(said(certificate=NEXT.fingerprint)), "grant.forged"),
    "noise": (lambda: b"fog", "signature.damaged"),
    "nothing inside": (lambda: cms.sign_content(b"fog", MADE), "signature.damaged"),
    "content changed": (lambda: grant.sign(GRANT, MADE).replace(b"moss", b"kiln"), "signature.forged"),
}


@pytest.mark.parametrize("name", GRANTS)
def test_a_grant_of_a_stranger_is_refused(name: str) -> None:
    make, code = GRANTS[name]
    with refuses(code):
        grant.read(make())


def test_a_grant_is_signed_by_its_own_identity_and_allows_its_own_devices() -> None:
    with refuses("grant.identity"):
        grant.sign(GRANT, NEXT)
    allow = (GRANT.identifier, MADE.fingerprint)
    grant.must_allow(GRANT, "moss-handset", *allow, END - dt.timedelta(seconds=1))
    for device, identifier, certificate, now, code in [
        ("kiln-handset", *allow, NOW, "grant.device"),
        ("moss-handset", *allow, END, "grant.expired"),
        ("moss-handset", "example.quillback.peatlamps", MADE.fingerprint, NOW, "grant.other"),
        ("moss-handset", GRANT.identifier, NEXT.fingerprint, NOW, "grant.other"),
    ]:
        with refuses(code):
            grant.must_allow(GRANT, device, identifier, certificate, now)


LINE = succession.extend(succession.extend(succession.begin(MADE), MADE, NEXT), NEXT, THIRD)


def changed(level: int, **change: object) -> succession.Succession:
    return tuple(replace(one, **change) if n == level else one for n, one in enumerate(LINE))  # type: ignore[arg-type]


SUCCESSIONS: dict[str, tuple[Callable[[], succession.Succession], str]] = {
    "empty": (lambda: (), "succession.damaged"),
    "a level taken out": (lambda: (LINE[0], LINE[2]), "succession.damaged"),
    "the same twice": (lambda: (*LINE, LINE[1]), "succession.damaged"),
    "another algorithm": (lambda: changed(1, parent_algorithm=0x0101), "succession.damaged"),
    "an unknown algorithm": (lambda: changed(1, parent_algorithm=0), "succession.damaged"),
    "no certificate": (lambda: changed(1, certificate=b"fog"), "succession.damaged"),
    "another signature": (lambda: changed(2, signature=LINE[1].signature), "succession.forged"),
    "another certificate": (
        lambda: changed(2, certificate=succession.begin(make_identity("thief", "ec-p384"))[0].certificate),
        "succession.forged",
    ),
}


@pytest.mark.parametrize("name", SUCCESSIONS)
def test_a_succession_that_does_not_hold(name: str) -> None:
    make, code = SUCCESSIONS[name]
    with refuses(code):
        succession.verify(make())


def test_a_succession_is_extended_by_its_last_alone() -> None:
    succession.verify(LINE)
    assert succession.decode(succession.encode(LINE)) == LINE
    with refuses("succession.last"):
        succession.extend(LINE, MADE, make_identity("fourth"))
    with refuses("succession.again"):
        succession.extend(LINE, THIRD, NEXT)
    with refuses("succession.damaged"):
        succession.decode(succession.encode(LINE * 40))


MASTER = bytes(range(32))
SEALED = seal(b"secret", MASTER, "identity:a", random=RANDOM)
LOCKED = passphrase.lock(b"secret", "night shift 1907", "a", random=RANDOM)


@pytest.mark.parametrize(
    ("make", "code"),
    [
        (lambda: unseal(b"XXXX" + SEALED[4:], MASTER, "identity:a"), "vault.damaged"),
        (lambda: unseal(SEALED[:-1], MASTER, "identity:a"), "vault.key"),
        (lambda: unseal(SEALED, bytes(32), "identity:a"), "vault.key"),
        (lambda: unseal(SEALED, MASTER, "identity:b"), "vault.key"),
        (lambda: unseal(SEALED, b"short", "identity:a"), "vault.master"),
        (lambda: read_masters("fog"), "vault.master"),
        (lambda: read_masters(" \n"), "vault.master"),
        (lambda: passphrase.unlock(LOCKED[:20], "night shift 1907", "a"), "vault.damaged"),
        (lambda: passphrase.unlock(LOCKED[:4] + b"\xff" * 4 + LOCKED[8:], "night shift 1907", "a"), "vault.damaged"),
        (lambda: passphrase.unlock(LOCKED, "night shift 1908", "a"), "key.wrong-passphrase"),
        (lambda: passphrase.lock(b"secret", "short", "a", random=RANDOM), "key.passphrase"),
        (lambda: identity.make("k", "Q", "ec-p256", NOW, years=0), "key.years"),
        (lambda: identity.make("k", "Q", "ec-p256", NOW, years=101), "key.years"),
        (lambda: identity.make("k", "Q", "dsa", NOW), "key.kind"),
        (lambda: identity.to_pkcs12(MADE, "k", "1234567"), "key.password"),
        (lambda: read_certificate(b"fog"), "key.certificate"),
        (lambda: read_certificate(b"-----BEGIN CERTIFICATE-----\nfog\n"), "key.certificate"),
        (lambda: read_pkcs8(b"fog", b"fog"), "key.pkcs8"),
        (lambda: read_entries(b"\0" * 9_000_000, "a password"), "key.pkcs12"),
    ],
)
def test_secrets_open_for_nobody_else(make: Callable[[], object], code: str) -> None:
    with refuses(code):
        make()


@pytest.mark.parametrize("curve", [ec.SECP256K1(), ec.BrainpoolP256R1()])
def test_other_curves_sign_nothing(curve: ec.EllipticCurve) -> None:
    data = ec.generate_private_key(curve).private_bytes(Encoding.DER, PrivateFormat.PKCS8, NoEncryption())
    with refuses("key.kind", "the curve"):
        read_pkcs8(data, MADE.certificate.public_bytes(Encoding.DER))


def detached(change: Callable[[asn1_cms.SignedData], None]) -> bytes:
    """A detached signature with something changed in it, written again."""
    content = asn1_cms.ContentInfo.load(cms.sign_detached(b"\1" * 32, MADE, NOW))
    change(content["content"])
    return bytes(content.dump(force=True))


def without_certificates(signed: asn1_cms.SignedData) -> None:
    signed["certificates"] = asn1_cms.CertificateSet([])


def without_attributes(signed: asn1_cms.SignedData) -> None:
    info = signed["signer_infos"][0]
    names = ("version", "sid", "digest_algorithm", "signature_algorithm", "signature")
    signed["signer_infos"] = asn1_cms.SignerInfos([asn1_cms.SignerInfo({n: info[n] for n in names})])


def with_another_signature(signed: asn1_cms.SignedData) -> None:
    signed["signer_infos"][0]["signature"] = cms._sign(MADE.key, b"fog")


@pytest.mark.parametrize(
    ("make", "code"),
    [
        (lambda: detached(lambda _: None), "signature.other"),
        (lambda: detached(without_certificates), "signature.damaged"),
        (lambda: detached(without_attributes), "signature.damaged"),
        (lambda: b"\x30\x03fog", "signature.damaged"),
    ],
)
def test_a_detached_signature_is_for_its_content(make: Callable[[], bytes], code: str) -> None:
    with refuses(code):
        cms.verify_detached(make(), b"\2" * 32)


def test_a_signature_of_something_else_does_not_hold() -> None:
    with refuses("signature.forged"):
        cms.verify_detached(detached(with_another_signature), b"\1" * 32)
