"""Continuity: the first release ties an identifier on a storefront to a certificate; from then on another one is a blocker."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from rampa.core.check.findings import Finding
from rampa.core.profile.resolved import ResolvedProfile
from rampa.core.signing import succession
from rampa.core.signing.identity import validity_warning
from rampa.db.base import new_id
from rampa.db.builds import BuildRow
from rampa.db.signing import BindingRow
from rampa.db.titles import SigningIdentityRow
from rampa.operations.base.context import Services
from rampa.operations.signing.lookup import find_key
from rampa.operations.versions.versions import line_of


def find_binding(session: Session, identifier: str, place: str) -> BindingRow | None:
    return session.scalar(select(BindingRow).where(BindingRow.identifier == identifier, BindingRow.place == place))


def check_continuity(session: Session, identifier: str, place: str, fingerprint: str) -> list[Finding]:
    """A blocker with both fingerprints when the storefront knows the title by another certificate, and no succession leads on."""
    if not fingerprint:
        return []
    bound = find_binding(session, identifier, place)
    if bound is None or bound.fingerprint == fingerprint:
        return []
    row = session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.fingerprint == fingerprint))
    if (
        row is not None
        and row.succession
        and bound.fingerprint in succession.fingerprints(succession.decode(row.succession))
    ):
        return []
    known = session.scalar(select(SigningIdentityRow.name).where(SigningIdentityRow.fingerprint == bound.fingerprint))
    names = f" ({known})" if known else ""
    return [
        Finding(
            "blocker",
            "signing.continuity",
            f"{place} knows {identifier} by the certificate {bound.fingerprint}{names} since {bound.build}, "
            f"and this is signed with {fingerprint}",
            "signing.identity",
            f"Devices refuse the update. Sign with {known or 'that certificate'}, or hand over first: rampa key hand-over.",
        )
    ]


def profile_continues(session: Session, profile: ResolvedProfile) -> list[Finding]:
    """The same for what a profile would build, before it is built."""
    if not profile.identity or profile.purpose != "release":
        return []
    fingerprint = find_key(session, profile.identity).fingerprint
    return check_continuity(session, profile.identifier, line_of(profile).place, fingerprint)


def check_backup(session: Session, services: Services, name: str) -> list[Finding]:
    """A warning wherever an identity is about to be relied on: it is not backed up, or its certificate nears its end."""
    row = session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.name == name))
    if row is None:
        return []
    found = []
    if row.backed_at is None:
        hint = f"Export it, put it in a safe, and restore it from there once: rampa key drill {name}."
        message = f"the signing identity {name} is not backed up: with its loss the title could not be updated any more"
        found.append(Finding("warning", "signing.not-backed-up", message, "signing.identity", hint))
    near = validity_warning(row.not_before, row.not_after, services.now())
    if near:
        hint = f"Hand over to a new one: rampa key hand-over {name} --to NEW."
        found.append(Finding("warning", "signing.near-end", f"{name}: {near.rstrip('.')}", "signing.identity", hint))
    return found


def bind(session: Session, services: Services, build: BuildRow, identifier: str, place: str, fingerprint: str) -> None:
    """Ties on the first release; moves on along a succession, which was checked before."""
    if build.purpose != "release" or not fingerprint:
        return
    values = {"identifier": identifier, "place": place, "fingerprint": fingerprint, "build": build.name}
    made = insert(BindingRow).values(id=new_id(), created_at=services.now(), **values)
    session.execute(
        made.on_conflict_do_update(
            index_elements=["identifier", "place"],
            set_={"fingerprint": fingerprint, "build": build.name},
            where=BindingRow.fingerprint != fingerprint,
        )
    )
