"""The service's keys for a title's trust: made in the vault, used there."""

from __future__ import annotations

import uuid
from collections.abc import Mapping

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from sqlalchemy import delete, update

from rampa.core.errors import Damaged
from rampa.core.signing.seal import seal, unseal
from rampa.core.trust.terms import ONLINE, TOP, TrustRole
from rampa.db import TitleRow, TrustKeyRow, trust_keys
from rampa.operations.base import UnitOfWork


def public_keys(uow: UnitOfWork, title: TitleRow, *, waiting: bool = False) -> dict[TrustRole, bytes]:
    """Those that the root names; empty where there are none."""
    found = trust_keys(uow.session, title.id, waiting=waiting)
    return {role: found[role].public for role in TOP if role in found}


def make_waiting(uow: UnitOfWork, title: TitleRow) -> dict[TrustRole, bytes]:
    """New ones, in place of those that were drafted and never published."""
    forget_waiting(uow, title.id)
    services = uow.services
    for role in ONLINE:
        key = Ed25519PrivateKey.from_private_bytes(services.random(32))
        row = TrustKeyRow(
            title_id=title.id,
            role=role,
            waiting=True,
            public=key.public_key().public_bytes_raw(),
            sealed=seal(
                key.private_bytes_raw(), services.master_key, trust_key_label(title.identifier, role), services.random
            ),
            created_at=uow.now,
        )
        uow.session.add(row)
    uow.session.flush()
    return public_keys(uow, title, waiting=True)


def take_waiting(uow: UnitOfWork, title: TitleRow) -> None:
    """The waiting ones are the title's from now on; those before are gone."""
    now = delete(TrustKeyRow).where(TrustKeyRow.title_id == title.id, TrustKeyRow.waiting.is_(False))
    uow.session.execute(now)
    rows = update(TrustKeyRow).where(TrustKeyRow.title_id == title.id).values(waiting=False)
    uow.session.execute(rows.execution_options(synchronize_session=False))
    uow.session.expire_all()


def forget_waiting(uow: UnitOfWork, title: uuid.UUID) -> None:
    uow.session.execute(delete(TrustKeyRow).where(TrustKeyRow.title_id == title, TrustKeyRow.waiting.is_(True)))


def signing_keys(uow: UnitOfWork, title: TitleRow) -> Mapping[TrustRole, Ed25519PrivateKey]:
    """Raises `Damaged` for one that is gone from the vault, or that the master key does not open."""
    rows = trust_keys(uow.session, title.id)
    out = {}
    for role in ONLINE:
        hint = (
            "Devices go on with what they have until it ends. Make new ones: `rampa trust ceremony draft --new-keys`."
        )
        if role not in rows:
            raise Damaged("trust.key-gone", f"the key of {title.name}'s {role} is not in the vault", hint=hint)
        try:
            raw = unseal(rows[role].sealed, uow.services.master_key, trust_key_label(title.identifier, role))
        except Damaged as error:
            said = f"the key of {title.name}'s {role} cannot be used: {error.message}"
            raise Damaged("trust.key-gone", said, hint=hint) from error
        out[role] = Ed25519PrivateKey.from_private_bytes(raw)
    return out


def trust_key_label(identifier: str, role: TrustRole) -> str:
    return f"trust:{identifier}:{role}"
