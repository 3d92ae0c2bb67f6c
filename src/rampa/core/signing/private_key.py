"""Private keys out of PKCS#8 (RFC 5958) and older PEM forms: decrypted within a budget, of a kind and size that can sign.

An encrypted key is decrypted here and never by the library, which does whatever the file asks for; and an RSA key's primes are
not tested, which takes the library ten seconds for 8,192 bits: whether the numbers belong together is cheap to see.
"""

from __future__ import annotations

from typing import Any

from asn1crypto import keys, pem
from cryptography.hazmat.primitives.asymmetric import ec, rsa
from cryptography.hazmat.primitives.serialization import load_der_private_key, load_pem_private_key

from rampa.core.errors import Invalid, RampaError
from rampa.core.signing import pkcs12_secrets
from rampa.core.signing.effort import Effort
from rampa.core.signing.identity import PrivateKey

MAX_KEY = 64 * 1024
SHORTEST, LONGEST = 2048, 8192
"""Bits of an RSA key. A signature of 8,192 bits takes a tenth of a second."""
CURVES = ("secp256r1", "secp384r1", "secp521r1")


def read_key(data: bytes, password: str = "") -> PrivateKey:
    """A key in PEM or DER. A password that was not needed is no error. Raises `Invalid`."""
    if len(data) > MAX_KEY:
        raise Invalid("key.pkcs8", "this file is far too large for a private key")
    try:
        return _key(data, password)
    except RampaError:
        raise
    except Exception as error:
        raise Invalid("key.pkcs8", "this is not a private key in PKCS#8 form, or it is damaged") from error


def _key(data: bytes, password: str) -> PrivateKey:
    if b"-----BEGIN" not in data:
        return _der(data, password)
    kind, headers, der = pem.unarmor(data[data.index(b"-----BEGIN") :])
    if kind in ("PRIVATE KEY", "ENCRYPTED PRIVATE KEY"):
        return _der(der, password)
    # An older form, whose password is hashed once: there is nothing to be bounded.
    if not headers:
        return fit_to_sign(load_pem_private_key(data, None, unsafe_skip_rsa_key_validation=True))
    _must_be_given(password)
    try:
        return fit_to_sign(load_pem_private_key(data, password.encode(), unsafe_skip_rsa_key_validation=True))
    except ValueError as error:
        raise _wrong_password() from error


def _der(data: bytes, password: str) -> PrivateKey:
    try:
        sealed = keys.EncryptedPrivateKeyInfo.load(data, strict=True)
        algorithm, content = sealed["encryption_algorithm"], sealed["encrypted_data"].native
        algorithm["algorithm"].native  # noqa: B018 - read when it is asked for
    except (ValueError, TypeError):
        return read_plain_key(data)
    _must_be_given(password)
    try:
        plain = pkcs12_secrets.decrypt(algorithm, content, password, Effort())
        keys.PrivateKeyInfo.load(plain, strict=True)
    except Invalid:
        raise
    except Exception as error:
        raise _wrong_password() from error
    return read_plain_key(plain)


def read_plain_key(der: bytes) -> PrivateKey:
    """A key that is not encrypted. Raises `Invalid` for one that cannot sign, else whatever the library does."""
    return fit_to_sign(load_der_private_key(der, None, unsafe_skip_rsa_key_validation=True))


def fit_to_sign(key: Any) -> PrivateKey:
    """Raises `Invalid` for a kind or size that cannot sign bundles, and for numbers that do not belong together."""
    if isinstance(key, rsa.RSAPrivateKey):
        return _rsa(key)
    if not isinstance(key, ec.EllipticCurvePrivateKey):
        raise Invalid("key.kind", "this kind of key cannot sign bundles", hint="Use RSA or an elliptic curve key.")
    if key.curve.name not in CURVES:
        raise Invalid("key.kind", f"the curve {key.curve.name} cannot sign bundles", hint="Use P-256 or P-384.")
    return key


def _rsa(key: rsa.RSAPrivateKey) -> rsa.RSAPrivateKey:
    if key.key_size < SHORTEST:
        short = f"an RSA key of {key.key_size} bits is too short to sign with"
        raise Invalid("key.kind", short, hint=f"Use {SHORTEST} or more.")
    if key.key_size > LONGEST:
        long = f"an RSA key of {key.key_size:,} bits is longer than any storefront takes"
        raise Invalid("key.kind", long, hint=f"Use {LONGEST:,} or fewer.")
    n = key.private_numbers()
    belong = (
        n.p > 1
        and n.q > 1
        and n.p * n.q == n.public_numbers.n
        and n.dmp1 == n.d % (n.p - 1)
        and n.dmq1 == n.d % (n.q - 1)
        and n.d * n.public_numbers.e % (n.p - 1) == 1
        and n.d * n.public_numbers.e % (n.q - 1) == 1
        and n.iqmp * n.q % n.p == 1
    )
    if not belong:
        raise Invalid("key.pkcs8", "the numbers of this RSA key do not belong together: it is damaged")
    return key


def _must_be_given(password: str) -> None:
    if not password:
        raise Invalid("key.password", "the private key has a password, and none was given")


def _wrong_password() -> Invalid:
    return Invalid("key.wrong-password", "the password does not open this private key")
