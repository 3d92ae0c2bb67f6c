"""Private keys that are elsewhere: whoever holds them signs, and everything else reads only their public halves.

They stand where a key in memory would: signing of bundles, grants and successions does not know the difference. A holder's ECDSA
nonces are its own, so that signing the same bytes twice gives two signatures; a build is signed once.
"""

from __future__ import annotations

from typing import Any, NoReturn, Protocol

from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec, padding, rsa
from cryptography.hazmat.primitives.asymmetric.utils import encode_dss_signature

from rampa.core.errors import Damaged, Refused

ALIKE = "the key module's key does not belong to this certificate"


class Holder(Protocol):
    """What holds one private key. `digest` names a hash as sha256, sha384 or sha512; errors are `Unavailable` or `Refused`."""

    def sign_ecdsa(self, digested: bytes) -> bytes:
        """r and s of one length, one behind the other."""

    def sign_pkcs1(self, data: bytes, digest: str) -> bytes: ...

    def sign_pss(self, data: bytes, digest: str, salt: int) -> bytes: ...


class OutsideEcKey(ec.EllipticCurvePrivateKey):
    def __init__(self, public: ec.EllipticCurvePublicKey, holder: Holder) -> None:
        self._public, self._holder = public, holder

    @property
    def curve(self) -> ec.EllipticCurve:
        return self._public.curve

    @property
    def key_size(self) -> int:
        return self._public.key_size

    def public_key(self) -> ec.EllipticCurvePublicKey:
        return self._public

    def sign(self, data: Any, signature_algorithm: ec.EllipticCurveSignatureAlgorithm) -> bytes:
        algorithm = signature_algorithm.algorithm
        if not isinstance(algorithm, hashes.HashAlgorithm):
            return _stays()
        hashed = hashes.Hash(algorithm)
        hashed.update(bytes(data))
        raw = self._holder.sign_ecdsa(hashed.finalize())
        half = len(raw) // 2
        made = encode_dss_signature(int.from_bytes(raw[:half], "big"), int.from_bytes(raw[half:], "big"))
        _must_hold(lambda: self._public.verify(made, bytes(data), ec.ECDSA(algorithm)))
        return made

    def exchange(self, algorithm: object, peer_public_key: object) -> bytes:
        return _stays()

    def private_numbers(self) -> ec.EllipticCurvePrivateNumbers:
        return _stays()

    def private_bytes(self, encoding: object, format: object, encryption_algorithm: object) -> bytes:
        return _stays()

    def __copy__(self) -> OutsideEcKey:
        return self

    def __deepcopy__(self, memo: dict[Any, Any]) -> OutsideEcKey:
        return self


class OutsideRsaKey(rsa.RSAPrivateKey):
    def __init__(self, public: rsa.RSAPublicKey, holder: Holder) -> None:
        self._public, self._holder = public, holder

    @property
    def key_size(self) -> int:
        return self._public.key_size

    def public_key(self) -> rsa.RSAPublicKey:
        return self._public

    def sign(self, data: Any, padding: padding.AsymmetricPadding, algorithm: Any) -> bytes:
        made = self._asked(bytes(data), padding, algorithm)
        _must_hold(lambda: self._public.verify(made, bytes(data), padding, algorithm))
        return made

    def _asked(self, data: bytes, wanted: padding.AsymmetricPadding, algorithm: Any) -> bytes:
        if isinstance(wanted, padding.PSS):
            return self._holder.sign_pss(data, algorithm.name, algorithm.digest_size)
        return self._holder.sign_pkcs1(data, algorithm.name)

    def decrypt(self, ciphertext: bytes, padding: object) -> bytes:
        return _stays()

    def private_numbers(self) -> rsa.RSAPrivateNumbers:
        return _stays()

    def private_bytes(self, encoding: object, format: object, encryption_algorithm: object) -> bytes:
        return _stays()

    def __copy__(self) -> OutsideRsaKey:
        return self

    def __deepcopy__(self, memo: dict[Any, Any]) -> OutsideRsaKey:
        return self


def outside_key(public: object, holder: Holder) -> OutsideEcKey | OutsideRsaKey:
    """Raises `Refused` for a kind of key that signs no bundle."""
    if isinstance(public, ec.EllipticCurvePublicKey):
        return OutsideEcKey(public, holder)
    if isinstance(public, rsa.RSAPublicKey):
        return OutsideRsaKey(public, holder)
    raise Refused("key.kind", "its certificate is of a kind that signs no bundle", hint="Use an RSA or EC key.")


def _must_hold(verify: Any) -> None:
    from cryptography.exceptions import InvalidSignature

    # A module that was given another key under the same label would sign bundles that no device takes.
    try:
        verify()
    except InvalidSignature as error:
        raise Damaged("key.mismatch", ALIKE, hint="See what the module holds under this label.") from error


def _stays() -> NoReturn:
    raise Refused("key.outside", "this key is in the key module, and does not leave it")
