"""Signing identities whose key is in the key module: the service asks it to sign, and never has the key."""

from __future__ import annotations

from cryptography import x509
from sqlalchemy import select

from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.signing import cms
from rampa.core.signing.identity import Identity
from rampa.core.signing.outside_key import outside_key
from rampa.db import SigningIdentityRow
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.signing.identities import must_have_module, must_last, row_of
from rampa.operations.signing.views import describe
from rampa.schema.signing import identities as wire
from rampa.store.key_module import KeyModule

PROBE = b"rampa key module probe\n"


def connect_key(services: Services, actor: Actor, asked: wire.ConnectKey) -> wire.Key:
    """An identity for a key of the module, once it has signed a probe that its certificate verifies."""
    module = must_have_module(services)
    certificate = _certificate(module, asked)
    identity = Identity(outside_key(certificate.public_key(), module.must_have(asked.label)), certificate)
    must_last(services, identity)
    cms.sign_content(PROBE, identity)
    with begin(services, actor) as uow:
        _must_be_new(uow, identity, asked.label)
        row = row_of(uow, asked.name, identity, sealed=b"", outside=asked.label, origin="connected")
        audit.record(uow, "key.connect", asked.name, fingerprint=identity.fingerprint, label=asked.label)
        return describe(uow, row)


def _must_be_new(uow: UnitOfWork, identity: Identity, label: str) -> None:
    """The same key under another name would sign past the policy of the first."""
    public = identity.certificate.public_key()
    for row in uow.session.scalars(select(SigningIdentityRow).with_for_update()):
        if row.outside == label or x509.load_pem_x509_certificate(row.certificate.encode()).public_key() == public:
            raise Conflict("key.connected", f"this key is the signing identity {row.name} already", where="label")


def _certificate(module: KeyModule, asked: wire.ConnectKey) -> x509.Certificate:
    der = None if asked.certificate else module.certificate(asked.label)
    if not asked.certificate and der is None:
        hint = "Send it: rampa key connect NAME --label LABEL --certificate FILE."
        message = f"the key module holds no certificate {asked.label!r} beside the key"
        raise NotFound("key-module.no-certificate", message, where="certificate", hint=hint)
    try:
        if der is not None:
            return x509.load_der_x509_certificate(der)
        return x509.load_pem_x509_certificate(asked.certificate.encode())
    except ValueError as error:
        raise Invalid("key.certificate", "this is no certificate (PEM)", where="certificate") from error
