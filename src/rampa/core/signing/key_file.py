"""A file with a private key, opened by its password, as plain bytes: for a process apart, which no key of a library can leave."""

from __future__ import annotations

from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from cryptography.x509 import load_der_x509_certificate

from rampa.core.signing.identity import Identity
from rampa.core.signing.keystore import read_pkcs8, read_pkcs12
from rampa.core.signing.private_key import read_plain_key

Plain = tuple[bytes, bytes]
"""PKCS#8 and certificate, both DER."""


def open_pkcs12(data: bytes, password: str, alias: str) -> Plain:
    return _plain(read_pkcs12(data, password, alias).identity)


def open_pkcs8(data: bytes, certificate: bytes, password: str) -> Plain:
    return _plain(read_pkcs8(data, certificate, password))


def identity_of(plain: Plain) -> Identity:
    key, certificate = plain
    return Identity(read_plain_key(key), load_der_x509_certificate(certificate))


def _plain(identity: Identity) -> Plain:
    key = identity.key.private_bytes(Encoding.DER, PrivateFormat.PKCS8, NoEncryption())
    return key, identity.certificate.public_bytes(Encoding.DER)
