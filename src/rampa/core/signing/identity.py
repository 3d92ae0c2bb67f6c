"""Signing identities: a private key with its certificate, kept as PKCS#12 (RFC 7292)."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec, rsa
from cryptography.hazmat.primitives.serialization import (
    BestAvailableEncryption,
    Encoding,
    pkcs12,
)
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from rampa.core.errors import Invalid
from rampa.core.quantity import counted

PrivateKey = rsa.RSAPrivateKey | ec.EllipticCurvePrivateKey

KEY_KINDS = ("ec-p256", "ec-p384", "rsa-2048", "rsa-3072", "rsa-4096")
MIN_PASSWORD = 8


@dataclass(frozen=True)
class Identity:
    """A usable signing identity."""

    key: PrivateKey
    certificate: x509.Certificate

    @property
    def fingerprint(self) -> str:
        """SHA-256 of the certificate's DER, in hexadecimal."""
        return self.certificate.fingerprint(hashes.SHA256()).hex()

    @property
    def subject(self) -> str:
        return self.certificate.subject.rfc4514_string()

    @property
    def not_after(self) -> dt.datetime:
        return self.certificate.not_valid_after_utc


def make(name: str, studio: str, kind: str, now: dt.datetime, years: int = 30) -> Identity:
    """A new key with a self-signed certificate for signing code. Raises `Invalid` for an unknown kind."""
    if kind not in KEY_KINDS:
        raise Invalid("key.kind", f"there is no key kind {kind!r}", hint=f"Choose one of: {', '.join(KEY_KINDS)}.")
    if not 1 <= years <= 100:
        raise Invalid("key.years", f"a certificate cannot be valid for {years} years", hint="Choose 1 to 100.")
    key = _key(kind)
    subject = x509.Name(
        [x509.NameAttribute(NameOID.ORGANIZATION_NAME, studio), x509.NameAttribute(NameOID.COMMON_NAME, name)]
    )
    usage = x509.KeyUsage(True, True, False, False, False, False, False, False, False)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        # Clocks differ by minutes: a certificate that is valid from this second on is refused on a machine behind
        # ours.
        .not_valid_before(now - dt.timedelta(minutes=5))
        .not_valid_after(now + dt.timedelta(days=365 * years))
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(usage, critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.CODE_SIGNING]), critical=False)
        .sign(key, hashes.SHA256())
    )
    return Identity(key, certificate)


def _key(kind: str) -> PrivateKey:
    family, _, size = kind.partition("-")
    if family == "rsa":
        return rsa.generate_private_key(public_exponent=65537, key_size=int(size))
    return ec.generate_private_key(ec.SECP256R1() if size == "p256" else ec.SECP384R1())


def to_pkcs12(identity: Identity, name: str, password: str) -> bytes:
    """The identity as a PKCS#12 file under `password`."""
    if len(password) < MIN_PASSWORD:
        raise Invalid(
            "key.password",
            f"the password has {counted(len(password), 'character')}",
            hint=f"Use at least {MIN_PASSWORD}.",
        )
    return pkcs12.serialize_key_and_certificates(
        name.encode(), identity.key, identity.certificate, None, BestAvailableEncryption(password.encode())
    )


def certificate_pem(identity: Identity) -> str:
    return identity.certificate.public_bytes(Encoding.PEM).decode()


LONG_ENOUGH = 25
"""Years that a certificate should last from now: a title can be updated only as long as it does."""
SOON = 400
"""Days before its end from which on it is warned of."""


def validity_warning(not_before: dt.datetime | None, not_after: dt.datetime, now: dt.datetime) -> str:
    """What is wrong with a certificate's validity, as a sentence; empty when nothing is."""
    if not_before and now < not_before:
        return f"The certificate is valid only from {not_before:%Y-%m-%d} on."
    left = (not_after - now).days
    if left < 0:
        return f"The certificate expired on {not_after:%Y-%m-%d}."
    if left < SOON:
        return f"The certificate ends in {left} days, on {not_after:%Y-%m-%d}: hand over to a new identity before."
    return ""


def shortness_warning(not_after: dt.datetime, now: dt.datetime) -> str:
    """Said when an identity is made or imported: whether it will last."""
    years = (not_after - now).days / 365.25
    if years >= LONG_ENOUGH - 1:
        return ""
    return f"Its certificate lasts {years:.0f} years; phone storefronts want {LONG_ENOUGH} or more for a new title."
