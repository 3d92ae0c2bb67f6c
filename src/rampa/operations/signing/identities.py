"""Signing identities: taken in, kept sealed, opened for one use, never answered but as an export."""

from __future__ import annotations

import base64
import binascii
import json
import uuid
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives.asymmetric import rsa
from sqlalchemy import select

from rampa.core.apart import QUICK
from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.signing import passphrase
from rampa.core.signing.identity import Identity, certificate_pem, to_pkcs12, validity_warning
from rampa.core.signing.key_file import identity_of, open_pkcs8, open_pkcs12
from rampa.core.signing.keystore import read_pkcs12
from rampa.core.signing.outside_key import outside_key
from rampa.core.signing.seal import seal, unseal
from rampa.db import SigningIdentityRow, find_key
from rampa.db.signing import locked
from rampa.operations.base import Actor, Once, Services, UnitOfWork, audit, begin, once
from rampa.operations.signing.unlock import find_unlock
from rampa.operations.signing.views import describe, describe_all
from rampa.schema.signing import identities as wire
from rampa.store.key_module import KeyModule

INNER = "inner password"
"""The file that is sealed has a password of no meaning: sealing is what protects it."""


def add_key(services: Services, actor: Actor, asked: wire.NewKey, key: Once | None) -> wire.Key:
    identity = _read(asked)
    must_last(services, identity)

    def make() -> wire.Key:
        sealed = _sealed(services, asked, identity)
        row = row_of(uow, asked.name, identity, sealed=sealed, protected=bool(asked.passphrase), origin=asked.origin)
        audit.record(uow, "key.add", asked.name, fingerprint=identity.fingerprint, origin=asked.origin)
        return describe(uow, row)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Key, make)


def must_last(services: Services, identity: Identity) -> None:
    if identity.not_after <= services.now():
        hint = "Storefronts refuse bundles that it signs. Make a new one: rampa key make."
        raise Invalid("key.expired", f"its certificate expired on {identity.not_after:%Y-%m-%d}", hint=hint)


def row_of(uow: UnitOfWork, name: str, identity: Identity, **how: Any) -> SigningIdentityRow:
    """Raises `Conflict` for a name that is taken. `how`: where its key rests."""
    if uow.session.scalar(select(SigningIdentityRow.id).where(SigningIdentityRow.name == name)):
        raise Conflict("key.exists", f"there is a signing identity {name!r} already", where="name")
    row = SigningIdentityRow(
        name=name,
        kind=kind_of(identity),
        subject=identity.subject[:300],
        fingerprint=identity.fingerprint,
        certificate=certificate_pem(identity),
        not_before=identity.certificate.not_valid_before_utc,
        not_after=identity.not_after,
        created_by=uow.actor.name,
        created_at=uow.now,
        **how,
    )
    uow.session.add(row)
    uow.session.flush()
    return row


def _read(asked: wire.NewKey) -> Identity:
    if asked.pkcs12:
        file = _decoded(asked.pkcs12, "pkcs12")
        return identity_of(QUICK.read(open_pkcs12, file, asked.password, asked.alias))
    if not asked.pkcs8 or not asked.certificate:
        hint = "Send a PKCS#12 file, or a PKCS#8 key with its certificate."
        raise Invalid("key.nothing", "there is no key in what was sent", hint=hint)
    key, certificate = _decoded(asked.pkcs8, "pkcs8"), _decoded(asked.certificate, "certificate")
    return identity_of(QUICK.read(open_pkcs8, key, certificate, asked.password))


def _decoded(text: str, where: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except binascii.Error as error:
        raise Invalid("key.base64", "this is not valid base64", where=where) from error


def _sealed(services: Services, asked: wire.NewKey, identity: Identity) -> bytes:
    data = base64.b64encode(to_pkcs12(identity, asked.name, INNER)).decode()
    secret = json.dumps({"pkcs12": data, "password": INNER}).encode()
    label = label_of(asked.name)
    # Passphrase inside, master key outside: neither the database nor the service's machine alone gives the key.
    if asked.passphrase:
        secret = passphrase.lock(secret, asked.passphrase, label, services.random)
    return seal(secret, services.master_key, label, services.random)


def label_of(name: str) -> str:
    return f"identity:{name}"


def list_keys(services: Services) -> list[wire.Key]:
    with begin(services) as uow:
        rows = uow.session.scalars(select(SigningIdentityRow).order_by(SigningIdentityRow.name))
        return describe_all(uow, list(rows))


def get_key(services: Services, name: str) -> wire.Key:
    with begin(services) as uow:
        return describe(uow, find_key(uow.session, name))


def open_identity(uow: UnitOfWork, row: SigningIdentityRow, run: uuid.UUID | None = None) -> Identity:
    """The usable key. It lives in memory for one signature. `run` may have an unlocking of its own.

    Raises `Refused` when it is locked, with who can unlock it; `Invalid` when its certificate expired; `Unavailable` when the key
    module that has it does not answer.
    """
    identity = _outside(uow, row) if row.outside else _inside(uow, row, run)
    warning = validity_warning(row.not_before, identity.not_after, uow.now)
    if identity.not_after <= uow.now:
        hint = "Name another signing identity in the profile, or hand over to a new one: rampa key hand-over."
        raise Invalid("key.expired", warning.rstrip("."), where=row.name, hint=hint)
    return identity


def _outside(uow: UnitOfWork, row: SigningIdentityRow) -> Identity:
    holder = must_have_module(uow.services).must_have(row.outside)
    certificate = x509.load_pem_x509_certificate(row.certificate.encode())
    return Identity(outside_key(certificate.public_key(), holder), certificate)


def _inside(uow: UnitOfWork, row: SigningIdentityRow, run: uuid.UUID | None) -> Identity:
    secret = unseal(row.sealed, uow.services.master_key, label_of(row.name))
    if row.protected:
        unlocked = find_unlock(uow, row, run)
        if unlocked is None:
            raise locked(row.name)
        # Unlocked secrets are sealed under a label of their own: one cannot be put in another's place.
        secret = unseal(unlocked.sealed, uow.services.master_key, f"unlock:{unlocked.id}")
    return from_secret(secret)


def must_have_module(services: Services) -> KeyModule:
    if services.key_module is None:
        hint = "The operator names one with RAMPA_KEY_MODULE; see docs/operating.md."
        raise Refused("key-module.none", "this service has no key module", hint=hint)
    return services.key_module


def from_secret(secret: bytes) -> Identity:
    body = json.loads(secret)
    return read_pkcs12(base64.b64decode(body["pkcs12"]), body["password"]).identity


def used(uow: UnitOfWork, row: SigningIdentityRow, title: str, **detail: object) -> None:
    """Every use is an audit event: who, for which run, over what."""
    row.used += 1
    row.last_used_at = uow.now
    audit.record(uow, "key.use", row.name, title, **detail)


def kind_of(identity: Identity) -> str:
    key = identity.key
    return f"RSA {key.key_size}" if isinstance(key, rsa.RSAPrivateKey) else f"EC P-{key.key_size}"
