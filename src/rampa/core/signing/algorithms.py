"""The signature algorithms of signing blocks (source.android.com, "APK Signature Scheme v2", Signature algorithm IDs).

ECDSA nonces are deterministic (RFC 6979), so that the same bundle signed twice gives the same bytes; RSA-PSS salts are random.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from cryptography.exceptions import InvalidSignature, UnsupportedAlgorithm
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec, padding, rsa

from rampa.core.errors import Damaged, Invalid

HASHES: dict[str, type[hashes.HashAlgorithm]] = {"sha256": hashes.SHA256, "sha512": hashes.SHA512}


@dataclass(frozen=True)
class Algorithm:
    """`content` is the digest of the content's pieces; `family` rsa-pss, rsa or ecdsa. Salts are as long as the digest."""

    number: int
    name: str
    family: str
    content: str


ALGORITHMS = {
    a.number: a
    for a in (
        Algorithm(0x0101, "RSA-PSS with SHA-256", "rsa-pss", "sha256"),
        Algorithm(0x0102, "RSA-PSS with SHA-512", "rsa-pss", "sha512"),
        Algorithm(0x0103, "RSA PKCS#1 v1.5 with SHA-256", "rsa", "sha256"),
        Algorithm(0x0104, "RSA PKCS#1 v1.5 with SHA-512", "rsa", "sha512"),
        Algorithm(0x0201, "ECDSA with SHA-256", "ecdsa", "sha256"),
        Algorithm(0x0202, "ECDSA with SHA-512", "ecdsa", "sha512"),
    )
}
BY_WORD = {"rsa-pss": (0x0101, 0x0102), "pkcs1": (0x0103, 0x0104), "ecdsa": (0x0201, 0x0202)}
STRENGTH = {"sha256": 1, "sha512": 2}


def algorithm_for(key: Any, padding_word: str = "pkcs1") -> Algorithm:
    """What a key signs with: SHA-512 for keys above 3072 bits or 256 bits of a curve. `padding_word` is for RSA keys only."""
    if isinstance(key, ec.EllipticCurvePrivateKey | ec.EllipticCurvePublicKey):
        return ALGORITHMS[BY_WORD["ecdsa"][key.curve.key_size > 256]]
    if padding_word not in ("pkcs1", "rsa-pss"):
        raise Invalid("signing.padding", f"there is no RSA padding {padding_word!r}", hint="Choose pkcs1 or rsa-pss.")
    return ALGORITHMS[BY_WORD[padding_word][key.key_size > 3072]]


def sign(key: Any, algorithm: Algorithm, data: bytes) -> bytes:
    digest = HASHES[algorithm.content]()
    if algorithm.family == "ecdsa":
        return bytes(key.sign(data, ec.ECDSA(digest, deterministic_signing=True)))
    return bytes(key.sign(data, _padding(algorithm, digest), digest))


def verify(public: Any, algorithm: Algorithm, signature: bytes, data: bytes) -> bool:
    """Whether it holds. Raises `Damaged` when the key is of another family than the algorithm."""
    digest = HASHES[algorithm.content]()
    family = "ecdsa" if isinstance(public, ec.EllipticCurvePublicKey) else "rsa"
    if not isinstance(public, ec.EllipticCurvePublicKey | rsa.RSAPublicKey) or not algorithm.family.startswith(family):
        raise Damaged("signature.kind", f"its key cannot have signed by {algorithm.name}")
    try:
        if isinstance(public, ec.EllipticCurvePublicKey):
            public.verify(signature, data, ec.ECDSA(digest))
        else:
            public.verify(signature, data, _padding(algorithm, digest), digest)
    except (InvalidSignature, UnsupportedAlgorithm, ValueError):
        return False
    return True


def _padding(algorithm: Algorithm, digest: hashes.HashAlgorithm) -> padding.AsymmetricPadding:
    if algorithm.family == "rsa-pss":
        return padding.PSS(padding.MGF1(digest), digest.digest_size)
    return padding.PKCS1v15()
