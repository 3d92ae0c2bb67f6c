"""Signing blocks from a stranger: each part that could lie, and the error that it gives."""

from __future__ import annotations

import itertools
import struct
from collections.abc import Callable

import pytest
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

from rampa.core.bundle import block_signers, signing_block
from rampa.core.bundle.block_signers import ALSO_SIGNED, FOREVER, HANDED_OVER, V3_SINCE, read_signers
from rampa.core.bundle.sources import BytesSource
from rampa.core.bundle.zip_reader import Archive, read_zip
from rampa.core.signing import algorithms, succession
from rampa.core.signing.identity import Identity
from rampa.core.signing.lengths import prefixed, sequence
from tests.packages import apk_files, make_identity, plain_zip
from tests.refusals import refuses

MADE, OTHER = make_identity(), make_identity("other", "ec-p384")
RSA = make_identity("old", "rsa-2048")
DIGESTS = {"sha256": b"\1" * 32, "sha512": b"\2" * 64}
LEVELS = (V3_SINCE, FOREVER)


def der(identity: Identity) -> bytes:
    return identity.certificate.public_bytes(Encoding.DER)


def public(identity: Identity) -> bytes:
    return identity.key.public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)


def signer(
    identity: Identity = MADE,
    *,
    certificates: tuple[bytes, ...] | None = None,
    key: bytes | None = None,
    digested: int = 0x0201,
    signed_by: int = 0x0201,
    inside: tuple[int, int] = LEVELS,
    outside: tuple[int, int] = LEVELS,
    attributes: tuple[bytes, ...] = (),
) -> bytes:
    """A v3 value with one signer, whose signature holds over whatever is said."""
    digest = struct.pack("<I", digested) + prefixed(DIGESTS["sha256"])
    shown = (der(identity),) if certificates is None else certificates
    signed = sequence([digest]) + sequence(shown) + struct.pack("<II", *inside) + sequence(attributes)
    made = algorithms.sign(identity.key, algorithms.algorithm_for(identity.key), signed)
    signatures = sequence([struct.pack("<I", signed_by) + prefixed(made)])
    return sequence([prefixed(signed) + struct.pack("<II", *outside) + signatures + prefixed(key or public(identity))])


def handed_over(*line: Identity) -> bytes:
    levels = succession.begin(line[0])
    for last, successor in itertools.pairwise(line):
        levels = succession.extend(levels, last, successor)
    return struct.pack("<I", HANDED_OVER) + succession.encode(levels)


def test_what_was_said_is_read_back() -> None:
    line = handed_over(RSA, MADE)
    (found,) = read_signers(signer(attributes=(line, struct.pack("<II", ALSO_SIGNED, 4))), v3=True)
    assert (found.fingerprint, found.levels, found.algorithm.name) == (MADE.fingerprint, LEVELS, "ECDSA with SHA-256")
    assert found.digests == {"sha256": DIGESTS["sha256"]}
    assert succession.fingerprints(found.line) == [RSA.fingerprint, MADE.fingerprint]
    assert found.attributes[ALSO_SIGNED] == struct.pack("<I", 4)


HOSTILE: dict[str, tuple[Callable[[], bytes], str]] = {
    "no signer": (lambda: sequence([]), "signature.none"),
    "unknown algorithm": (lambda: signer(digested=0x0999, signed_by=0x0999), "signature.kind"),
    "another family": (lambda: signer(digested=0x0103, signed_by=0x0103), "signature.kind"),
    "a key that is none": (lambda: signer(key=b"fog"), "signature.damaged"),
    "another key": (lambda: signer(key=public(make_identity("thief"))), "signature.forged"),
    "a certificate of somebody else": (lambda: signer(certificates=(der(OTHER),)), "signature.mismatch"),
    "a certificate that is none": (lambda: signer(certificates=(b"fog",)), "signature.damaged"),
    "no certificate": (lambda: signer(certificates=()), "signature.damaged"),
    "digested by another algorithm": (lambda: signer(digested=0x0202), "signature.damaged"),
    "levels changed outside": (lambda: signer(outside=(V3_SINCE, 40)), "signature.levels"),
    "levels changed inside": (lambda: signer(inside=(24, FOREVER)), "signature.levels"),
    "cut off": (lambda: signer()[:-1], "signature.damaged"),
    "a succession to somebody else": (lambda: signer(attributes=(handed_over(MADE, OTHER),)), "succession.last"),
    "an unknown succession": (
        lambda: signer(attributes=(struct.pack("<II", HANDED_OVER, 9),)),
        "succession.version",
    ),
    "an empty succession": (lambda: signer(attributes=(struct.pack("<II", HANDED_OVER, 1),)), "succession.damaged"),
    "too many parts": (lambda: sequence([b""] * 10_001), "signature.damaged"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_lie_is_told(name: str) -> None:
    make, code = HOSTILE[name]
    with refuses(code):
        read_signers(make(), v3=True)


def with_block(block: bytes, pad: int = 0) -> Archive:
    """A package with these bytes before its directory."""
    plain = plain_zip(apk_files())
    at = plain.index(b"PK\1\2")
    moved = plain[:at] + b"\0" * pad + block + plain[at:]
    end = moved.rindex(b"PK\5\6")
    start = struct.pack("<I", at + pad + len(block))
    return read_zip(BytesSource(moved[: end + 16] + start + moved[end + 20 :]))


GOOD = signing_block.encode([(signing_block.V2, b"fog"), (signing_block.PADDING, bytes(40))])


def test_a_block_is_found_in_front_of_the_directory() -> None:
    found = signing_block.find(with_block(GOOD))
    assert found is not None
    assert found.value(signing_block.V2) == b"fog"
    assert found.value(signing_block.V3) is None
    assert signing_block.find(with_block(b"")) is None


def sized(first: int | None = None, last: int | None = None, body: bytes = b"") -> bytes:
    """A block that says these sizes about its body."""
    size = len(body) + signing_block.TAIL
    return (
        struct.pack("<Q", size if first is None else first)
        + body
        + struct.pack("<Q", size if last is None else last)
        + signing_block.MAGIC
    )


@pytest.mark.parametrize(
    ("block", "says"),
    [
        (sized(last=5), "its size cannot be"),
        (sized(last=1 << 40), "its size cannot be"),
        (sized(first=1), "two sizes differ"),
        (sized(last=9_000), "it lies over an entry|its size cannot be"),
        (sized(body=b"\1\2\3"), "a part of it is cut off"),
        (sized(body=struct.pack("<QI", 3, 7)), "reaches beyond it"),
        (sized(body=struct.pack("<QI", 900, 7)), "reaches beyond it"),
        (signing_block.encode([(signing_block.V2, b"a"), (signing_block.V2, b"b")]), "the same scheme twice"),
    ],
)
def test_half_a_block_is_refused(block: bytes, says: str) -> None:
    with refuses("signature.block", says):
        signing_block.find(with_block(block))


def test_the_identity_chooses_its_digest() -> None:
    for identity, name in ((MADE, "sha256"), (OTHER, "sha512"), (RSA, "sha256")):
        (found,) = read_signers(block_signers.make_v2(DIGESTS, identity, "pkcs1", also_v3=True), v3=False)
        assert found.digests == {name: DIGESTS[name]}
        assert found.attributes == {ALSO_SIGNED: struct.pack("<I", 3)}
    with refuses("signing.padding", "no RSA padding 'fog'"):
        algorithms.algorithm_for(RSA.key, "fog")
