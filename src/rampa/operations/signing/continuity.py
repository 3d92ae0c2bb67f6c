"""Continuity: the first release ties an identifier on a storefront to a certificate; from then on another one is a blocker."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.check.findings import Finding
from rampa.core.profile.resolved import ResolvedProfile
from rampa.core.signing import succession
from rampa.core.signing.identity import validity_warning
from rampa.db import BindingRow, BuildRow, SigningIdentityRow, find_key, new_id
from rampa.operations.base import UnitOfWork
from rampa.operations.versions.versions import CodeLine, line_of


def find_binding(uow: UnitOfWork, identifier: str, place: str) -> BindingRow | None:
    return uow.session.scalar(select(BindingRow).where(BindingRow.identifier == identifier, BindingRow.place == place))


def check_continuity(uow: UnitOfWork, identifier: str, place: str, fingerprint: str) -> list[Finding]:
    bound = find_binding(uow, identifier, place)
    known = list(uow.session.scalars(select(SigningIdentityRow))) if bound else []
    return continuity_findings(bound, known, fingerprint)


def continuity_findings(
    bound: BindingRow | None, identities: Iterable[SigningIdentityRow], fingerprint: str
) -> list[Finding]:
    """A blocker with both fingerprints when the storefront knows the title by another certificate, and no succession leads on."""
    if not fingerprint or bound is None or bound.fingerprint == fingerprint:
        return []
    by_print = {i.fingerprint: i for i in identities}
    mine, other = by_print.get(fingerprint), by_print.get(bound.fingerprint)
    # Known by another certificate, and yet no blocker: devices follow a succession to its last.
    if mine and mine.succession and bound.fingerprint in succession.fingerprints(succession.decode(mine.succession)):
        return []
    names, known = (f" ({other.name})", other.name) if other else ("", "that certificate")
    return [
        Finding(
            "blocker",
            "signing.continuity",
            f"{bound.place} knows {bound.identifier} by the certificate {bound.fingerprint}{names} since {bound.build}, "
            f"and this is signed with {fingerprint}",
            "signing.identity",
            f"Devices refuse the update. Sign with {known}, or hand over first: rampa key hand-over.",
        )
    ]


def profile_continues(uow: UnitOfWork, profile: ResolvedProfile) -> list[Finding]:
    """The same for what a profile would build, before it is built."""
    if not profile.settings.signing.identity or profile.settings.purpose != "release":
        return []
    fingerprint = find_key(uow.session, profile.settings.signing.identity).fingerprint
    return check_continuity(uow, profile.settings.title.identifier, line_of(profile).place, fingerprint)


def check_backup(uow: UnitOfWork, name: str) -> list[Finding]:
    row = uow.session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.name == name))
    return backup_findings(row, uow.now)


def backup_findings(row: SigningIdentityRow | None, now: dt.datetime) -> list[Finding]:
    """A warning wherever an identity is about to be relied on: it is not backed up, or its certificate nears its end."""
    if row is None:
        return []
    found = []
    if row.backed_at is None:
        hint = f"Export it, put it in a safe, and restore it from there once: rampa key drill {row.name}."
        message = (
            f"the signing identity {row.name} is not backed up: with its loss the title could not be updated any more"
        )
        found.append(Finding("warning", "signing.not-backed-up", message, "signing.identity", hint))
    near = validity_warning(row.not_before, row.not_after, now)
    if near:
        hint = f"Hand over to a new one: rampa key hand-over {row.name} --to NEW."
        message = f"{row.name}: {near.rstrip('.')}"
        found.append(Finding("warning", "signing.near-end", message, "signing.identity", hint))
    return found


def bind(uow: UnitOfWork, build: BuildRow, line: CodeLine, fingerprint: str) -> None:
    """Ties on the first release; moves on along a succession, which was checked before."""
    # Only a release is known by its certificate; test builds may be signed by anything.
    if build.purpose != "release" or not fingerprint:
        return
    values = {"identifier": line.identifier, "place": line.place, "fingerprint": fingerprint, "build": build.name}
    made = insert(BindingRow).values(id=new_id(), created_at=uow.now, **values)
    # Two first releases at one moment: the second finds the binding and moves it only along a succession, checked
    # before.
    uow.session.execute(
        made.on_conflict_do_update(
            index_elements=["identifier", "place"],
            set_={"fingerprint": fingerprint, "build": build.name},
            where=BindingRow.fingerprint != fingerprint,
        )
    )
