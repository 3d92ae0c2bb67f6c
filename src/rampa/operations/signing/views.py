"""What is said of a signing identity: never its key; where it is used, whether it is backed up, what its loss would orphan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from sqlalchemy import select

from rampa.core.signing import succession
from rampa.core.signing.identity import shortness_warning, validity_warning
from rampa.db import AuditEventRow, BindingRow, BuildRow, BundleRow, SigningIdentityRow, TitleRow, UnlockRow
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.signing.unlock import open_unlocks
from rampa.schema.signing import identities as wire

USES = 50


def describe(uow: UnitOfWork, row: SigningIdentityRow) -> wire.Key:
    return describe_all(uow, [row])[0]


def describe_all(uow: UnitOfWork, rows: Sequence[SigningIdentityRow]) -> list[wire.Key]:
    """In a handful of queries, however many identities there are."""
    bindings, titles, heirs = _bindings(uow, rows), _titles(uow, rows), _heirs(uow, rows)
    unlocks = open_unlocks(uow, [r for r in rows if r.protected])
    return [
        _key(
            row,
            unlocks.get(row.id, []),
            bindings.get(row.fingerprint, []),
            sorted(titles.get(row.fingerprint, [])),
            _warnings(uow, row, bindings.get(row.fingerprint, []), heirs.get(row.name, "")),
        )
        for row in rows
    ]


def _key(
    row: SigningIdentityRow,
    unlocks: list[UnlockRow],
    bindings: list[wire.BindingOut],
    titles: list[str],
    warnings: list[str],
) -> wire.Key:
    line = succession.fingerprints(succession.decode(row.succession)) if row.succession else []
    return wire.Key(
        name=row.name,
        kind=row.kind,
        subject=row.subject,
        fingerprint=row.fingerprint,
        certificate=row.certificate,
        not_before=row.not_before,
        not_after=row.not_after,
        created_at=row.created_at,
        created_by=row.created_by,
        origin=row.origin,
        outside=row.outside,
        used=row.used,
        last_used_at=row.last_used_at,
        protected=row.protected,
        unlocked_until=max((u.expires_at for u in unlocks if u.run_id is None), default=None),
        unlocked_runs=sorted(u.run.number for u in unlocks if u.run is not None),
        exported_at=row.exported_at,
        backed_at=row.backed_at,
        backed_by=row.backed_by,
        succession=line,
        predecessor=row.predecessor,
        bound_to=bindings,
        titles=titles,
        warnings=warnings,
        policy=wire.KeyPolicyWire(**asdict(row.policy)),
    )


def _bindings(uow: UnitOfWork, rows: Sequence[SigningIdentityRow]) -> dict[str, list[wire.BindingOut]]:
    """By fingerprint."""
    prints = {r.fingerprint for r in rows}
    asked = select(BindingRow).where(BindingRow.fingerprint.in_(prints)).order_by(BindingRow.identifier)
    found: dict[str, list[wire.BindingOut]] = {}
    for b in uow.session.scalars(asked):
        shown = wire.BindingOut(identifier=b.identifier, place=b.place, build=b.build, since=b.created_at)
        found.setdefault(b.fingerprint, []).append(shown)
    return found


def _titles(uow: UnitOfWork, rows: Sequence[SigningIdentityRow]) -> dict[str, list[str]]:
    """Titles that have bundles signed by it, by fingerprint."""
    asked = (
        select(BundleRow.fingerprint, TitleRow.slug)
        .join(BuildRow, BundleRow.build_id == BuildRow.id)
        .join(TitleRow, BuildRow.title_id == TitleRow.id)
        .where(BundleRow.fingerprint.in_({r.fingerprint for r in rows}))
    )
    found: dict[str, list[str]] = {}
    for fingerprint, slug in uow.session.execute(asked.distinct()):
        found.setdefault(fingerprint, []).append(slug)
    return found


def _heirs(uow: UnitOfWork, rows: Sequence[SigningIdentityRow]) -> dict[str, str]:
    """The identity that each was handed over to, by name."""
    asked = select(SigningIdentityRow.predecessor, SigningIdentityRow.name)
    return {
        before: heir
        for before, heir in uow.session.execute(asked.where(SigningIdentityRow.predecessor.in_({r.name for r in rows})))
        if before
    }


def _warnings(uow: UnitOfWork, row: SigningIdentityRow, bindings: list[wire.BindingOut], heir: str) -> list[str]:
    out = []
    # What the key module holds is backed up by its own means, which nobody here can try.
    if row.backed_at is None and not row.outside:
        lost = f" Its loss would orphan {', '.join(sorted({b.identifier for b in bindings}))}." if bindings else ""
        how = f"rampa key export {row.name}, then rampa key drill {row.name}"
        out.append(f"Not backed up: no restore drill has passed yet.{lost} {how}.")
    near = validity_warning(row.not_before, row.not_after, uow.now)
    short = shortness_warning(row.not_after, row.created_at) if row.not_before else ""
    if heir:
        near = near.replace(": hand over to a new identity before.", f"; it handed over to {heir}.")
    return [*out, *(text for text in (near or short,) if text)]


def list_uses(services: Services, name: str) -> wire.KeyUses:
    """The newest uses of an identity, from the audit events."""
    with begin(services) as uow:
        rows = uow.session.scalars(
            select(AuditEventRow)
            .where(AuditEventRow.subject == name, AuditEventRow.act.like("key.%"))
            .order_by(AuditEventRow.id.desc())
            .limit(USES)
        )
        return wire.KeyUses(
            items=[
                wire.KeyUse(at=e.at, who=e.who, act=e.act, title=e.title or "", detail=_plain(e.detail)) for e in rows
            ]
        )


def _plain(detail: dict[str, object]) -> dict[str, str]:
    return {name: str(value) for name, value in detail.items()}
