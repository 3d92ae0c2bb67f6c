"""Detached signatures as CMS SignedData (RFC 5652) over content that may be larger than memory.

The content itself is never needed here: its SHA-256 goes into the signed attributes (section 5.3), and those are what is signed
(section 5.4). The signature algorithms are ECDSA (RFC 5753) and RSASSA-PKCS1-v1_5 (RFC 3370) with SHA-256.
"""

from __future__ import annotations

import datetime as dt

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
    certificate = x509.Certificate.load(identity.certificate.public_bytes(Encoding.DER))
    attributes = cms.CMSAttributes(
        [
            cms.CMSAttribute({"type": "content_type", "values": ["data"]}),
            cms.CMSAttribute({"type": "signing_time", "values": [cms.Time({"utc_time": now.replace(microsecond=0)})]}),
            cms.CMSAttribute({"type": "message_digest", "values": [sha256]}),
        ]
    )
    kind = "sha256_ecdsa" if isinstance(identity.key, ec.EllipticCurvePrivateKey) else "rsassa_pkcs1v15"
    digest = algos.DigestAlgorithm({"algorithm": "sha256"})
    signer = cms.SignerInfo(
        {
            "version": "v1",
            "sid": cms.SignerIdentifier(
                {
                    "issuer_and_serial_number": cms.IssuerAndSerialNumber(
                        {"issuer": certificate.issuer, "serial_number": certificate.serial_number}
                    )
                }
            ),
            "digest_algorithm": digest,
            "signed_attrs": attributes,
            "signature_algorithm": algos.SignedDigestAlgorithm({"algorithm": kind}),
            "signature": _sign(identity.key, attributes.dump()),
        }
    )
    signed = cms.SignedData(
        {
            "version": "v1",
            "digest_algorithms": [digest],
            "encap_content_info": {"content_type": "data"},
            "certificates": [certificate],
            "signer_infos": [signer],
        }
    )
    return bytes(cms.ContentInfo({"content_type": "signed_data", "content": signed}).dump())


def verify_detached(signature: bytes, sha256: bytes) -> str:
    """The SHA-256 fingerprint of the certificate that signed content with this SHA-256. Raises `Damaged`.

    Which certificate is the right one is the caller's question.
    """
    try:
        signed = cms.ContentInfo.load(signature)["content"]
        signer = signed["signer_infos"][0]
        certificate = signed["certificates"][0].chosen
        attributes = {a["type"].native: a["values"][0].native for a in signer["signed_attrs"]}
        plain = cms.CMSAttributes(signer["signed_attrs"]).untag().dump()
        _verify(certificate, signer["signature"].native, plain)
    except InvalidSignature as error:
        raise Damaged("signature.forged", "the signature does not hold") from error
    except Damaged:
        raise
    except Exception as error:
        # A hostile signature can make the readers raise nearly anything; to the caller it is one thing.
        raise Damaged("signature.damaged", "the signature cannot be read") from error
    if attributes.get("message_digest") != sha256:
        raise Damaged("signature.other", "the signature is for other content: the bundle was changed after signing")
    return load_der_x509_certificate(certificate.dump()).fingerprint(hashes.SHA256()).hex()


def _sign(key: PrivateKey, data: bytes) -> bytes:
    if isinstance(key, ec.EllipticCurvePrivateKey):
        return key.sign(data, ec.ECDSA(hashes.SHA256()))
    return key.sign(data, padding.PKCS1v15(), hashes.SHA256())


def _verify(certificate: x509.Certificate, signature: bytes, data: bytes) -> None:
    key = load_der_public_key(certificate.public_key.dump())
    if isinstance(key, ec.EllipticCurvePublicKey):
        key.verify(signature, data, ec.ECDSA(hashes.SHA256()))
    elif isinstance(key, rsa.RSAPublicKey):
        key.verify(signature, data, padding.PKCS1v15(), hashes.SHA256())
    else:
        raise Damaged("signature.kind", "the signature was made with a kind of key that is not known here")
