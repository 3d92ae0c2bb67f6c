"""Succession: the proof that one signing identity handed over to the next.

Source: source.android.com, "APK Signature Scheme v3", proof-of-rotation.

    succession := version (1) level*
    level   := signed data, flags, algorithm that this certificate signs the next level with, signature
    signed  := certificate, algorithm that the previous certificate signed with (0 in the first level)

Each level's signed data is signed by the certificate before it. A device that knows one certificate follows the line to the last.
"""

from __future__ import annotations

import itertools
import struct
from dataclasses import dataclass, replace
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.serialization import Encoding

from rampa.core.errors import Damaged, Invalid
from rampa.core.signing import algorithms
from rampa.core.signing.algorithms import ALGORITHMS
from rampa.core.signing.identity import Identity
from rampa.core.signing.lengths import Cursor, prefixed

VERSION = 1
INSTALLED_DATA, SHARED_ID, PERMISSION, ROLLBACK, AUTHENTICATION = 1, 2, 4, 8, 16
TRUSTED = INSTALLED_DATA | SHARED_ID | PERMISSION | AUTHENTICATION
"""What the platform still grants to a certificate that handed over: everything but going back to it."""
MAX_LEVELS = 100


@dataclass(frozen=True)
class SuccessionLevel:
    """`certificate` is DER. `parent_algorithm` signed this level, `algorithm` signs the next; 0 where there is none."""

    certificate: bytes
    parent_algorithm: int
    flags: int
    algorithm: int
    signature: bytes

    @property
    def signed(self) -> bytes:
        return prefixed(self.certificate) + struct.pack("<I", self.parent_algorithm)

    @property
    def fingerprint(self) -> str:
        return _load(self.certificate).fingerprint(hashes.SHA256()).hex()


Succession = tuple[SuccessionLevel, ...]


def begin(identity: Identity) -> Succession:
    """The line of one identity that has not handed over yet."""
    return (SuccessionLevel(identity.certificate.public_bytes(Encoding.DER), 0, TRUSTED, 0, b""),)


def extend(succession: Succession, last: Identity, successor: Identity) -> Succession:
    """`last`, which the line ends with, hands over to `successor`. Raises `Invalid` when it does not end with it."""
    if not succession or succession[-1].fingerprint != last.fingerprint:
        raise Invalid("succession.last", "the succession does not end with the identity that is to hand over")
    if successor.fingerprint in fingerprints(succession):
        raise Invalid(
            "succession.again", "the successor is in the succession already", hint="Name a new signing identity."
        )
    algorithm = algorithms.algorithm_for(last.key)
    level = SuccessionLevel(successor.certificate.public_bytes(Encoding.DER), algorithm.number, TRUSTED, 0, b"")
    level = replace(level, signature=algorithms.sign(last.key, algorithm, level.signed))
    return (*succession[:-1], replace(succession[-1], algorithm=algorithm.number), level)


def encode(succession: Succession) -> bytes:
    out = struct.pack("<I", VERSION)
    for level in succession:
        flags = struct.pack("<II", level.flags, level.algorithm)
        out += prefixed(prefixed(level.signed) + flags + prefixed(level.signature))
    return out


def decode(data: bytes) -> Succession:
    """Reads a succession; `verify` says whether it holds. Raises `Damaged`."""
    cursor = Cursor(data)
    if cursor.number() != VERSION:
        raise Damaged("succession.version", "the succession is of a version that is not known here")
    levels: list[SuccessionLevel] = []
    for body in Cursor.rest_of(cursor):
        level = Cursor(body)
        signed = Cursor(level.item())
        flags, algorithm = level.number(), level.number()
        levels.append(SuccessionLevel(signed.item(), signed.number(), flags, algorithm, level.item()))
        if signed.left or level.left or len(levels) > MAX_LEVELS:
            raise Damaged("succession.damaged", "a level of the succession is damaged")
    return tuple(levels)


def verify(succession: Succession) -> None:
    """Every level is signed by the one before it. Raises `Damaged` with the place that does not hold."""
    if not succession:
        raise Damaged("succession.damaged", "the succession is empty")
    # The same certificate twice would let a line lead back to an identity that was left behind.
    if len(set(fingerprints(succession))) != len(succession):
        raise Damaged("succession.damaged", "a certificate stands in the succession twice")
    for number, (before, level) in enumerate(itertools.pairwise(succession), 2):
        algorithm = ALGORITHMS.get(level.parent_algorithm)
        # Both sides name the algorithm: a level that is put behind another line names one that was not asked for.
        if algorithm is None or level.parent_algorithm != before.algorithm:
            raise Damaged(
                "succession.damaged",
                f"level {number} of the succession names another algorithm than level {number - 1}",
            )
        if not algorithms.verify(_public(before), algorithm, level.signature, level.signed):
            raise Damaged(
                "succession.forged", f"level {number} of the succession is not signed by the certificate before it"
            )


def fingerprints(succession: Succession) -> list[str]:
    """SHA-256 of each certificate, oldest first."""
    return [level.fingerprint for level in succession]


def _public(level: SuccessionLevel) -> Any:
    try:
        return _load(level.certificate).public_key()
    except Exception as error:
        # The parts of a certificate are read when they are asked for, and a hostile one can hold anything.
        raise Damaged("succession.damaged", "the key of a certificate of the succession cannot be read") from error


def _load(certificate: bytes) -> x509.Certificate:
    try:
        return x509.load_der_x509_certificate(certificate)
    except Exception as error:
        raise Damaged("succession.damaged", "a certificate of the succession cannot be read") from error
