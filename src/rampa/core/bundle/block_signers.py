"""Signers of signing block schemes v2 and v3 (source.android.com, "APK Signature Scheme v2" and "v3").

v2 := signers of (signed data, signatures, public key)
v3 := signers of (signed data, lowest level, highest level, signatures, public key)
signed data := digests, certificates, [v3: lowest level, highest level,] attributes
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat, load_der_public_key

from rampa.core.errors import Damaged
from rampa.core.signing import algorithms, succession
from rampa.core.signing.algorithms import ALGORITHMS, STRENGTH, Algorithm
from rampa.core.signing.identity import Identity
from rampa.core.signing.lengths import Cursor, prefixed, sequence
from rampa.core.signing.succession import Succession

V3_SINCE, FOREVER = 28, 0x7FFFFFFF
ALSO_SIGNED, HANDED_OVER = 0xBEEFF00D, 0x3BA06F8C
"""Attributes: which newer scheme signed as well (so that it cannot be taken away unseen); the succession."""


def make_v2(digests: dict[str, bytes], identity: Identity, padding: str, also_v3: bool) -> bytes:
    """The v2 value. `digests` are the content's by hash name; the identity's algorithm chooses among them."""
    algorithm = algorithms.algorithm_for(identity.key, padding)
    attributes = [struct.pack("<II", ALSO_SIGNED, 3)] if also_v3 else []
    signed = _signed_data(digests, identity, algorithm) + sequence(attributes)
    return sequence([prefixed(signed) + _signature(identity, algorithm, signed)])


def make_v3(digests: dict[str, bytes], identity: Identity, padding: str, line: Succession) -> bytes:
    """The v3 value, with the succession where there is one of more than one level."""
    algorithm = algorithms.algorithm_for(identity.key, padding)
    levels = struct.pack("<II", V3_SINCE, FOREVER)
    attributes = [struct.pack("<I", HANDED_OVER) + succession.encode(line)] if len(line) > 1 else []
    signed = _signed_data(digests, identity, algorithm) + levels + sequence(attributes)
    return sequence([prefixed(signed) + levels + _signature(identity, algorithm, signed)])


def _signed_data(digests: dict[str, bytes], identity: Identity, algorithm: Algorithm) -> bytes:
    digest = struct.pack("<I", algorithm.number) + prefixed(digests[algorithm.content])
    return sequence([digest]) + sequence([identity.certificate.public_bytes(Encoding.DER)])


def _signature(identity: Identity, algorithm: Algorithm, signed: bytes) -> bytes:
    made = struct.pack("<I", algorithm.number) + prefixed(algorithms.sign(identity.key, algorithm, signed))
    public = identity.key.public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)
    return sequence([made]) + prefixed(public)


@dataclass(frozen=True)
class BlockSigner:
    """A signer whose own signature was verified; whether the content has `digests` is still to be seen.

    `levels` are the lowest and highest platform level that it is for. `attributes` by id.
    """

    certificate: x509.Certificate
    algorithm: Algorithm
    digests: dict[str, bytes]
    levels: tuple[int, int]
    attributes: dict[int, bytes]
    line: Succession

    @property
    def fingerprint(self) -> str:
        return self.certificate.fingerprint(hashes.SHA256()).hex()


def read_signers(value: bytes, v3: bool) -> list[BlockSigner]:
    """Reads the signers of a value and verifies their signatures. Raises `Damaged`."""
    found = [_read(Cursor(body), v3) for body in Cursor(value).items()]
    if not found:
        raise Damaged("signature.none", "the signing block holds no signer")
    return found


def _read(cursor: Cursor, v3: bool) -> BlockSigner:
    signed = cursor.item()
    levels = (cursor.number(), cursor.number()) if v3 else (0, FOREVER)
    signatures = [(item.number(), item.item()) for item in map(Cursor, cursor.items())]
    public = cursor.item()
    algorithm, signature = _strongest(signatures)
    try:
        key = load_der_public_key(public)
    except Exception as error:
        raise Damaged("signature.damaged", "the signer's public key cannot be read") from error
    if not algorithms.verify(key, algorithm, signature, signed):
        raise Damaged(
            "signature.forged", "the signature over the digests does not hold: they were changed after signing"
        )
    return _signer(Cursor(signed), v3, levels, [n for n, _ in signatures], public, algorithm)


def _strongest(signatures: list[tuple[int, bytes]]) -> tuple[Algorithm, bytes]:
    known = [(ALGORITHMS[number], signature) for number, signature in signatures if number in ALGORITHMS]
    if not known:
        raise Damaged("signature.kind", "it is signed only by algorithms that are not known here")
    return max(known, key=lambda pair: STRENGTH[pair[0].content])


def _signer(
    data: Cursor, v3: bool, levels: tuple[int, int], signed_by: list[int], public: bytes, algorithm: Algorithm
) -> BlockSigner:
    digests = [(item.number(), item.item()) for item in map(Cursor, data.items())]
    certificates = data.items()
    # Levels stand twice, once signed: whoever changed the outer ones would make devices skip this signer.
    if v3 and (data.number(), data.number()) != levels:
        raise Damaged("signature.levels", "the signer's levels are not those that it signed")
    attributes = {item.number(): item.take(item.left) for item in map(Cursor, data.items())}
    # A digest that no signature covers, or the other way round, would let one of the two be exchanged.
    if [n for n, _ in digests] != signed_by:
        raise Damaged("signature.damaged", "the signer digests by other algorithms than it signs by")
    if not certificates:
        raise Damaged("signature.damaged", "the signer has no certificate")
    try:
        certificate = x509.load_der_x509_certificate(certificates[0])
        certified = certificate.public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)
    except Exception as error:
        raise Damaged("signature.damaged", "the signer's certificate cannot be read") from error
    # Signed with a key that the certificate does not name: the fingerprint would be a stranger's.
    if certified != public:
        raise Damaged("signature.mismatch", "the signer's public key is not that of its certificate")
    found = {ALGORITHMS[n].content: digest for n, digest in digests if n in ALGORITHMS}
    return BlockSigner(certificate, algorithm, found, levels, attributes, _line(attributes, certificate))


def _line(attributes: dict[int, bytes], certificate: x509.Certificate) -> Succession:
    if HANDED_OVER not in attributes:
        return ()
    line = succession.decode(attributes[HANDED_OVER])
    succession.verify(line)
    if line[-1].fingerprint != certificate.fingerprint(hashes.SHA256()).hex():
        raise Damaged("succession.last", "the succession does not end with the certificate that signed")
    return line
