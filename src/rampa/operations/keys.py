"""Signing identities: taken in as PKCS#12, kept sealed, used, never answered."""

from __future__ import annotations

import base64
import binascii
import json

from cryptography.hazmat.primitives.asymmetric import rsa
from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.signing.identity import Identity, certificate_pem, from_pkcs12
from rampa.core.signing.sealing import seal, unseal
from rampa.db.titles import SigningIdentity
from rampa.operations import audit
from rampa.operations.context import Actor, Services
from rampa.operations.idempotency import Once, once
from rampa.schema import keys as wire


def add_key(services: Services, actor: Actor, asked: wire.NewKey, key: Once | None) -> wire.Key:
    try:
        data = base64.b64decode(asked.pkcs12, validate=True)
    except binascii.Error as error:
        raise Invalid("key.pkcs12", "the PKCS#12 file is not valid base64", where="pkcs12") from error
    identity = from_pkcs12(data, asked.password)

    def make() -> wire.Key:
        if session.scalar(select(SigningIdentity.id).where(SigningIdentity.name == asked.name)):
            raise Conflict("key.exists", f"there is a signing identity {asked.name!r} already", where="name")
        secret = json.dumps({"pkcs12": asked.pkcs12, "password": asked.password}).encode()
        row = SigningIdentity(
            name=asked.name,
            kind=_kind(identity),
            subject=identity.subject[:300],
            fingerprint=identity.fingerprint,
            certificate=certificate_pem(identity),
            sealed=seal(secret, services.master_key, f"identity:{asked.name}"),
            not_after=identity.not_after,
            created_by=actor.name,
            created_at=services.now(),
        )
        session.add(row)
        session.flush()
        audit.record(session, services, actor, "key.add", asked.name, fingerprint=identity.fingerprint)
        return _out(row)

    with services.db.transaction() as session:
        return once(session, services, actor, key, wire.Key, make)


def list_keys(services: Services) -> list[wire.Key]:
    with services.db.transaction() as session:
        return [_out(r) for r in session.scalars(select(SigningIdentity).order_by(SigningIdentity.name))]


def get_key(services: Services, name: str) -> wire.Key:
    with services.db.transaction() as session:
        return _out(find_key(session, name))


def identity_names(session: Session) -> frozenset[str]:
    """What checks of profiles compare with."""
    return frozenset(session.scalars(select(SigningIdentity.name)))


def find_key(session: Session, name: str) -> SigningIdentity:
    row = session.scalar(select(SigningIdentity).where(SigningIdentity.name == name))
    if row is None:
        raise NotFound(
            "key.unknown",
            f"there is no signing identity {name!r}",
            where="identity",
            hint=f"Make it with `rampa key make {name}`, or name another in the profile.",
        )
    return row


def open_identity(services: Services, row: SigningIdentity) -> Identity:
    """The usable key. It lives in memory for one signature."""
    secret = json.loads(unseal(row.sealed, services.master_key, f"identity:{row.name}"))
    identity = from_pkcs12(base64.b64decode(secret["pkcs12"]), secret["password"])
    if identity.not_after <= services.now():
        raise Invalid(
            "key.expired",
            f"the certificate of {row.name} expired on {identity.not_after:%Y-%m-%d}",
            where=row.name,
            hint="Name another signing identity in the profile.",
        )
    return identity


def _kind(identity: Identity) -> str:
    key = identity.key
    return f"RSA {key.key_size}" if isinstance(key, rsa.RSAPrivateKey) else f"EC P-{key.key_size}"


def _out(row: SigningIdentity) -> wire.Key:
    return wire.Key(
        name=row.name,
        kind=row.kind,
        subject=row.subject,
        fingerprint=row.fingerprint,
        certificate=row.certificate,
        not_after=row.not_after,
        created_at=row.created_at,
        created_by=row.created_by,
        used=row.used,
    )
