"""Detached signatures as CMS SignedData (RFC 5652) over content that may be larger than memory.

The content itself is never needed here: its SHA-256 goes into the signed attributes (section 5.3), and those are what is signed
(section 5.4). Signature files of JARs are small, and signed as they are, without attributes. The signature algorithms are ECDSA
(RFC 5753) and RSASSA-PKCS1-v1_5 (RFC 3370) with SHA-256; others are verified, too.
"""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Callable
from dataclasses import dataclass

from asn1crypto import algos, cms, x509
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec, padding, rsa
from cryptography.hazmat.primitives.serialization import Encoding, load_der_public_key
from cryptography.x509 import load_der_x509_certificate

from rampa.core.errors import Damaged
from rampa.core.signing.identity import Identity, PrivateKey


def sign_detached(sha256: bytes, identity: Identity, now: dt.datetime) -> bytes:
    """The DER of a ContentInfo that signs content with this SHA-256 (32 bytes)."""
    attributes = cms.CMSAttributes(
        [
            cms.CMSAttribute({"type": "content_type", "values": ["data"]}),
            cms.CMSAttribute({"type": "signing_time", "values": [cms.Time({"utc_time": now.replace(microsecond=0)})]}),
            cms.CMSAttribute({"type": "message_digest", "values": [sha256]}),
        ]
    )
    return _signed(identity, attributes.dump(), attributes)


def sign_content(content: bytes, identity: Identity) -> bytes:
    """The same for small content, signed as it is: the same content gives the same bytes."""
    return _signed(identity, content, None)


def sign_inside(content: bytes, identity: Identity) -> bytes:
    """The same with the content in the signature."""
    return _signed(identity, content, None, content)


def open_inside(signature: bytes) -> tuple[bytes, Signer]:
    """The content of a signature that holds, and who signed. Raises `Damaged`."""
    try:
        content = cms.ContentInfo.load(signature)["content"]["encap_content_info"]["content"].native
    except Exception as error:
        raise Damaged("signature.damaged", "the signature cannot be read") from error
    if not isinstance(content, bytes):
        raise Damaged("signature.damaged", "the signature has no content inside")
    return content, verify_content(signature, content)


def _signed(
    identity: Identity, data: bytes, attributes: cms.CMSAttributes | None, inside: bytes | None = None
) -> bytes:
    certificate = x509.Certificate.load(identity.certificate.public_bytes(Encoding.DER))
    kind = "sha256_ecdsa" if isinstance(identity.key, ec.EllipticCurvePrivateKey) else "rsassa_pkcs1v15"
    digest = algos.DigestAlgorithm({"algorithm": "sha256"})
    named = cms.IssuerAndSerialNumber({"issuer": certificate.issuer, "serial_number": certificate.serial_number})
    values = {
        "version": "v1",
        "sid": cms.SignerIdentifier({"issuer_and_serial_number": named}),
        "digest_algorithm": digest,
        "signature_algorithm": algos.SignedDigestAlgorithm({"algorithm": kind}),
        "signature": _sign(identity.key, data),
    }
    if attributes is not None:
        values["signed_attrs"] = attributes
    signed = cms.SignedData(
        {
            "version": "v1",
            "digest_algorithms": [digest],
            "encap_content_info": {"content_type": "data"} | ({"content": inside} if inside is not None else {}),
            "certificates": [certificate],
            "signer_infos": [cms.SignerInfo(values)],
        }
    )
    return bytes(cms.ContentInfo({"content_type": "signed_data", "content": signed}).dump())


@dataclass(frozen=True)
class Signer:
    """Who signed. `fingerprint` is the certificate's SHA-256; `certificate` its DER."""

    fingerprint: str
    certificate: bytes
    algorithm: str


def verify_content(signature: bytes, content: bytes) -> Signer:
    """Verifies a detached signature over small content, with or without signed attributes. Raises `Damaged`."""
    return _verified(signature, lambda name: hashlib.new(name, content).digest(), content)


def verify_detached(signature: bytes, sha256: bytes) -> str:
    """The SHA-256 fingerprint of the certificate that signed content with this SHA-256. Raises `Damaged`.

    Which certificate is the right one is the caller's question.
    """
    return verify_digest(signature, sha256).fingerprint


def verify_digest(signature: bytes, sha256: bytes) -> Signer:
    """The same, with all that the signature says of who signed."""
    return _verified(signature, lambda name: sha256 if name == "sha256" else b"", None)


def _verified(signature: bytes, digest_of: Callable[[str], bytes], content: bytes | None) -> Signer:
    try:
        signed = cms.ContentInfo.load(signature)["content"]
        signer = signed["signer_infos"][0]
        certificate = _certificate_of(signed, signer)
        name = signer["digest_algorithm"]["algorithm"].native
        if signer["signed_attrs"]:
            attributes = {a["type"].native: a["values"][0].native for a in signer["signed_attrs"]}
            if attributes.get("message_digest") != digest_of(name):
                raise Damaged("signature.other", "the signature is for other content: it was changed after signing")
            content = cms.CMSAttributes(signer["signed_attrs"]).untag().dump()
        elif content is None:
            raise Damaged("signature.damaged", "the signature has no signed attributes")
        _verify(certificate, signer, name, content)
        der = certificate.dump()
        return Signer(load_der_x509_certificate(der).fingerprint(hashes.SHA256()).hex(), der, _words(signer, name))
    except InvalidSignature as error:
        raise Damaged("signature.forged", "the signature does not hold") from error
    except Damaged:
        raise
    except Exception as error:
        # A hostile signature can make the readers raise nearly anything; to the caller it is one thing.
        raise Damaged("signature.damaged", "the signature cannot be read") from error


def _certificate_of(signed: cms.SignedData, signer: cms.SignerInfo) -> x509.Certificate:
    """The certificate that the signer names: a chain may stand beside it."""
    sid = signer["sid"].chosen
    for one in signed["certificates"]:
        certificate: x509.Certificate = one.chosen
        if isinstance(sid, cms.IssuerAndSerialNumber):
            if certificate.serial_number == sid["serial_number"].native and certificate.issuer == sid["issuer"]:
                return certificate
        elif certificate.key_identifier == sid.native:
            return certificate
    raise Damaged("signature.damaged", "the signer's certificate is not in the signature")


def _words(signer: cms.SignerInfo, digest: str) -> str:
    family = signer["signature_algorithm"].signature_algo
    named = {"rsassa_pkcs1v15": "RSA PKCS#1 v1.5", "rsassa_pss": "RSA-PSS", "ecdsa": "ECDSA"}.get(family, family)
    return f"{named} with {digest.upper().replace('SHA', 'SHA-')}"


def _sign(key: PrivateKey, data: bytes) -> bytes:
    if isinstance(key, ec.EllipticCurvePrivateKey):
        return key.sign(data, ec.ECDSA(hashes.SHA256(), deterministic_signing=True))
    return key.sign(data, padding.PKCS1v15(), hashes.SHA256())


DIGESTS: dict[str, type[hashes.HashAlgorithm]] = {
    "sha1": hashes.SHA1, "sha256": hashes.SHA256, "sha384": hashes.SHA384, "sha512": hashes.SHA512,
}  # fmt: skip
"""Of signatures that are verified. SHA-1 stands in old ones; whether that is enough is the caller's question."""


def _verify(certificate: x509.Certificate, signer: cms.SignerInfo, digest: str, data: bytes) -> None:
    key = load_der_public_key(certificate.public_key.dump())
    algorithm = DIGESTS[digest]()
    signature = signer["signature"].native
    if isinstance(key, ec.EllipticCurvePublicKey):
        key.verify(signature, data, ec.ECDSA(algorithm))
    elif isinstance(key, rsa.RSAPublicKey):
        pss = signer["signature_algorithm"].signature_algo == "rsassa_pss"
        form = padding.PSS(padding.MGF1(algorithm), algorithm.digest_size) if pss else padding.PKCS1v15()
        key.verify(signature, data, form, algorithm)
    else:
        raise Damaged("signature.kind", "the signature was made with a kind of key that is not known here")
