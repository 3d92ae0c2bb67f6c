"""Finding signing identities by name, and what is said when one is not there or locked."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import NotFound, Refused
from rampa.db.titles import SigningIdentityRow


def identity_names(session: Session) -> frozenset[str]:
    """What checks of profiles compare with."""
    return frozenset(session.scalars(select(SigningIdentityRow.name)))


def find_key(session: Session, name: str, *, lock: bool = False) -> SigningIdentityRow:
    rows = select(SigningIdentityRow).where(SigningIdentityRow.name == name)
    row = session.scalar(rows.with_for_update() if lock else rows)
    if row is None:
        raise NotFound(
            "key.unknown",
            f"there is no signing identity {name!r}",
            where="identity",
            hint=f"Make it with `rampa key make {name}`, or name another in the profile.",
        )
    return row


def locked(name: str) -> Refused:
    return Refused(
        "key.locked",
        f"the signing identity {name} is locked",
        where=name,
        hint=f"An owner or engineer who knows its passphrase unlocks it: rampa key unlock {name}",
    )
