"""Taking signing identities out of files: PKCS#12 (RFC 7292) with one entry or many, or a key beside its certificate.

A Java keystore in PKCS#12 form holds several keys, each under an alias (the bag's friendly name); one is chosen. Every way in
which a file can be wrong is a sentence of its own: password, end of file, alias, a key that does not fit its certificate.
"""

from __future__ import annotations

import hmac
from dataclasses import dataclass
from typing import Any

from asn1crypto import keys, pkcs12
from cryptography import x509
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from cryptography.hazmat.primitives.serialization.pkcs12 import load_pkcs12

from rampa.core.errors import Invalid, NotFound, RampaError
from rampa.core.quantity import counted
from rampa.core.signing import pkcs12_secrets
from rampa.core.signing.effort import Effort
from rampa.core.signing.identity import Identity, PrivateKey
from rampa.core.signing.private_key import read_key, read_plain_key

MAX_FILE = 4 * 1024 * 1024
MAX_SAFES, MAX_BAGS = 20, 200
OLD_JAVA = b"\xfe\xed\xfe\xed"


@dataclass(frozen=True)
class KeystoreEntry:
    """A key in a keystore with its certificate."""

    alias: str
    identity: Identity


def read_pkcs12(data: bytes, password: str, alias: str = "") -> KeystoreEntry:
    """The one key of a PKCS#12 file, or the one under `alias`. Raises `Invalid` or, for an unknown alias, `NotFound`."""
    entries = read_entries(data, password)
    names = ", ".join(e.alias or "(without a name)" for e in entries)
    if alias:
        # Names differ in case between the tools that write and those that read them.
        found = [e for e in entries if e.alias.casefold() == alias.casefold()]
        if not found:
            raise NotFound("key.alias", f"the keystore has no entry {alias!r}", where="alias", hint=f"It has: {names}.")
        return found[0]
    if len(entries) > 1:
        hint = f"Choose one with --alias: {names}."
        raise Invalid("key.several", f"the keystore holds {counted(len(entries), 'key')}", where="alias", hint=hint)
    return entries[0]


def read_entries(data: bytes, password: str) -> list[KeystoreEntry]:
    """Every key of the file that has a certificate, in order."""
    if data[:4] == OLD_JAVA:
        hint = "Convert it to PKCS#12 with the JDK that made it, then import that."
        raise Invalid("key.old-keystore", "this is a Java keystore of the old form, not PKCS#12", hint=hint)
    if len(data) > MAX_FILE:
        raise Invalid("key.pkcs12", "this file is far too large for a keystore")
    try:
        return _entries(data, password, Effort())
    except RampaError:
        raise
    except Exception as error:
        # What a file claims is read lazily: a hostile one can raise nearly anything, nearly anywhere.
        raise _damaged() from error


def _entries(data: bytes, password: str, effort: Effort) -> list[KeystoreEntry]:
    safes, checked = _safes(data, password, effort)
    bags = _bags(safes, password, effort, checked=checked)
    certificates = [b for b in (_certificate(bag) for bag in bags) if b is not None]
    certificates = certificates or _old_certificates(safes, password, effort)
    found: list[KeystoreEntry] = []
    if len(bags) > MAX_BAGS:
        raise Invalid("key.pkcs12", f"the file holds {len(bags):,} parts, which is absurd for a keystore")
    for bag in bags:
        kind = bag["bag_id"].native
        if kind in ("key_bag", "pkcs8_shrouded_key_bag"):
            found.append(_entry(bag, password, certificates, effort))
    if not found:
        raise Invalid("key.none", "the PKCS#12 file holds no private key with a certificate")
    return found


def _safes(data: bytes, password: str, effort: Effort) -> tuple[list[Any], bool]:
    """The file's parts, and whether a checksum over them said that the password is right."""
    try:
        pfx = _load(pkcs12.Pfx, data)
        content = pfx["auth_safe"]["content"].native
        if not isinstance(content, bytes):
            raise ValueError("it has no content")
        mac = pfx["mac_data"]
        if mac.native is not None:
            _must_fit(mac, content, password, effort)
        safes = _load(pkcs12.AuthenticatedSafe, content)
        if len(safes) > MAX_SAFES:
            raise Invalid("key.pkcs12", f"the file holds {len(safes):,} safes, which is absurd for a keystore")
        return list(safes), mac.native is not None
    except Invalid:
        raise
    except Exception as error:
        raise _damaged() from error


def _bags(safes: list[Any], password: str, effort: Effort, *, checked: bool) -> list[Any]:
    """All bags, decrypted."""
    bags: list[Any] = []
    for safe in safes:
        try:
            if safe["content_type"].native == "data":
                body = safe["content"].native
            elif _is_rc2(safe):
                continue  # certificates only: `_old_certificates` has them
            else:
                sealed = safe["content"]["encrypted_content_info"]
                body = pkcs12_secrets.decrypt(
                    sealed["content_encryption_algorithm"], sealed["encrypted_content"].native, password, effort
                )
            bags += list(_load(pkcs12.SafeContents, body))
        except Invalid:
            raise
        except Exception as error:
            # Without a checksum over the file, a wrong password shows here.
            raise (_damaged() if checked else _wrong_password()) from error
    return bags


def _load(kind: Any, data: bytes) -> Any:
    """DER, and nothing behind it."""
    return kind.load(data, strict=True)


def _is_rc2(safe: Any) -> bool:
    algorithm = safe["content"]["encrypted_content_info"]["content_encryption_algorithm"]
    return str(algorithm["algorithm"].native).startswith("pkcs12_sha1_rc2")


def _old_certificates(safes: list[Any], password: str, effort: Effort) -> list[tuple[bytes, x509.Certificate]]:
    """Files of before 2021 hide certificates under 40-bit RC2, which the library reads for us: out of a file of their own,
    so that it neither derives nor checks anything that was not paid for."""
    old = [safe for safe in safes if safe["content_type"].native == "encrypted_data" and _is_rc2(safe)]
    for safe in old:
        algorithm = safe["content"]["encrypted_content_info"]["content_encryption_algorithm"]
        effort.rounds(algorithm["parameters"]["iterations"].native, old=True)
    if not old:
        return []
    content = pkcs12.AuthenticatedSafe(old).dump()
    salt = bytes(8)
    key = pkcs12_secrets.derive(password, salt, 1, 3, pkcs12_secrets.size_of("sha1"), "sha1", effort)
    digest = hmac.digest(key, content, "sha1")
    mac = {
        "mac": {"digest_algorithm": {"algorithm": "sha1"}, "digest": digest},
        "mac_salt": salt,
        "iterations": 1,
    }
    alone = pkcs12.Pfx(
        {"version": "v3", "auth_safe": {"content_type": "data", "content": content}, "mac_data": mac}
    ).dump()
    try:
        found = load_pkcs12(alone, password.encode())
    except ValueError:
        return []
    every = [found.cert, *found.additional_certs]
    return [(b"", c.certificate) for c in every if c is not None]


def _must_fit(mac: Any, content: bytes, password: str, effort: Effort) -> None:
    digest = mac["mac"]["digest_algorithm"]["algorithm"].native
    rounds = mac["iterations"].native
    salt = mac["mac_salt"].native
    key = pkcs12_secrets.derive(password, salt, rounds, 3, pkcs12_secrets.size_of(digest), digest, effort)
    if not hmac.compare_digest(hmac.digest(key, content, digest), mac["mac"]["digest"].native):
        raise _wrong_password()


def _entry(
    bag: Any, password: str, certificates: list[tuple[bytes, x509.Certificate]], effort: Effort
) -> KeystoreEntry:
    attributes = _attributes(bag)
    alias = str(attributes.get("friendly_name", ""))
    key = _key(bag, password, effort)
    key_id = attributes.get("local_key_id", b"")
    by_id = [c for ident, c in certificates if key_id and ident == key_id]
    fitting = [c for _, c in certificates if _same(key, c)]
    if not fitting:
        if by_id or certificates:
            raise _mismatch(alias)
        raise Invalid("key.certificate", "the key has no certificate in this file", where=alias,
                      hint="Import the key as PKCS#8 with its certificate beside it.")  # fmt: skip
    # The file's own word for it, where there is one; else whichever certificate has the key's public half.
    chosen = next((c for c in fitting if c in by_id), fitting[0])
    return KeystoreEntry(alias, Identity(key, chosen))


def _key(bag: Any, password: str, effort: Effort) -> PrivateKey:
    value = bag["bag_value"]
    try:
        if bag["bag_id"].native == "key_bag":
            return read_plain_key(value.parsed.dump() if hasattr(value, "parsed") else value.dump())
        sealed = value.parsed if hasattr(value, "parsed") else value
        plain = pkcs12_secrets.decrypt(
            sealed["encryption_algorithm"], sealed["encrypted_data"].native, password, effort
        )
        return read_plain_key(_load(keys.PrivateKeyInfo, plain).dump())
    except Invalid:
        raise
    except Exception as error:
        raise Invalid(
            "key.entry", "the key in this file cannot be read: it is damaged or has a password of its own"
        ) from error


def _certificate(bag: Any) -> tuple[bytes, x509.Certificate] | None:
    if bag["bag_id"].native != "cert_bag":
        return None
    try:
        value = bag["bag_value"]
        parsed = value.parsed if hasattr(value, "parsed") else value
        certificate = x509.load_der_x509_certificate(parsed["cert_value"].parsed.dump())
        certificate.public_key()
    except Exception:
        # A certificate of an authority may be of a kind that is not known here; the key's own decides.
        return None
    return bytes(_attributes(bag).get("local_key_id", b"")), certificate


def _attributes(bag: Any) -> dict[str, Any]:
    found = {}
    for attribute in bag["bag_attributes"] or ():
        values = attribute["values"].native
        if values:
            found[attribute["type"].native] = values[0]
    return found


def read_pkcs8(key_data: bytes, certificate_data: bytes, password: str = "") -> Identity:
    """A private key as PKCS#8 in PEM or DER, and its certificate in PEM or DER. Raises `Invalid`."""
    key = read_key(key_data, password)
    identity = Identity(key, read_certificate(certificate_data))
    if not _same(identity.key, identity.certificate):
        raise _mismatch("")
    return identity


def read_certificate(data: bytes) -> x509.Certificate:
    try:
        if b"-----BEGIN" in data:
            return x509.load_pem_x509_certificate(data)
        return x509.load_der_x509_certificate(data)
    except Exception as error:
        raise Invalid("key.certificate", "this is not a certificate, or it is damaged") from error


def _same(key: PrivateKey, certificate: x509.Certificate) -> bool:
    def plain(public: Any) -> bytes:
        return bytes(public.public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo))

    try:
        return plain(key.public_key()) == plain(certificate.public_key())
    except Exception:
        return False


def _mismatch(alias: str) -> Invalid:
    return Invalid("key.mismatch", "the private key does not belong to the certificate beside it", where=alias)


def _wrong_password() -> Invalid:
    return Invalid("key.wrong-password", "the password does not open this PKCS#12 file")


def _damaged() -> Invalid:
    return Invalid("key.pkcs12", "this is not a PKCS#12 file, or it is cut off or damaged")
