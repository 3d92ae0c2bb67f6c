"""What a signing identity may be used for: set by an owner, asked before every use, and every refusal is an event."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import func, select

from rampa.core.errors import Invalid, Refused
from rampa.core.signing.key_policy import PURPOSES, KeyPolicy, KeyUse, Refusal, refusal, spent, too_few
from rampa.db import AuditEventRow, PersonRow, RunApprovalRow, RunRow, SigningIdentityRow, find_key, roles_at
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, may
from rampa.operations.signing.views import describe
from rampa.schema.signing import identities as wire

DAY = dt.timedelta(hours=24)


def set_policy(services: Services, actor: Actor, name: str, asked: wire.KeyPolicyWire) -> wire.Key:
    wrong = [p for p in asked.purposes if p not in PURPOSES]
    if wrong:
        raise Invalid(
            "policy.purpose",
            f"there is no purpose {wrong[0]!r}",
            where="purposes",
            hint=f"There is: {', '.join(PURPOSES)}.",
        )
    with begin(services, actor) as uow:
        row = find_key(uow.session, name, lock=True)
        row.policy = KeyPolicy(
            tuple(asked.titles),
            tuple(asked.identifiers),
            tuple(asked.purposes),
            tuple(asked.branches),
            asked.approvals,
            asked.per_day,
        )
        audit.record(uow, "key.policy", name, None, **asked.model_dump())
        uow.session.flush()
        return describe(uow, row)


def must_allow(uow: UnitOfWork, rows: list[SigningIdentityRow], use: KeyUse, run: RunRow | None, what: str) -> None:
    """Raises `Refused`, and says in an event that it did. `what` names what was to be signed."""
    for row in {r.name: r for r in rows}.values():
        found = _refused(uow, row, use, run)
        if found is not None:
            # In a transaction of its own: the one that asks is taken back.
            with begin(uow.services, uow.actor) as apart:
                audit.record(apart, "key.refuse", row.name, use.title, what=what, why=found.message)
            raise Refused(
                found.code, f"{row.name} does not sign {what}: {found.message}", where=row.name, hint=found.hint
            )


def stops_of(uow: UnitOfWork, name: str, use: KeyUse) -> list[str]:
    """Why a run would be refused its signature at its end: said before it starts."""
    row = uow.session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.name == name))
    found = refusal(row.policy, use) if row is not None else None
    return [f"{name} would not sign it: {found.message}. {found.hint}"] if found else []


def approvals_missing(uow: UnitOfWork, run: RunRow) -> int:
    """How many more people must approve this run before its identity signs."""
    row = uow.session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.name == run.order.identity))
    needed = row.policy.approvals_for(run.purpose) if row is not None else 0
    return max(0, needed - len(approvers(uow, run))) if needed else 0


def approvers(uow: UnitOfWork, run: RunRow) -> list[str]:
    """Names, as they came. Whoever was disabled since, or lost their role, does not count."""
    rows = select(PersonRow.id, PersonRow.name).join(RunApprovalRow, RunApprovalRow.person_id == PersonRow.id)
    rows = rows.where(RunApprovalRow.run_id == run.id, PersonRow.disabled_at.is_(None))
    here = roles_at(uow.session, run.title_id)
    came = uow.session.execute(rows.order_by(RunApprovalRow.at))
    return [name for person, name in came if may(here[person], Act.APPROVE_RUN)]


def _refused(uow: UnitOfWork, row: SigningIdentityRow, use: KeyUse, run: RunRow | None) -> Refusal | None:
    given = len(approvers(uow, run)) if run is not None and row.policy.approvals else 0
    return (
        refusal(row.policy, use)
        or too_few(row.policy, use.purpose, given)
        or (spent(row.policy, _uses(uow, row)) if row.policy.per_day else None)
    )


def _uses(uow: UnitOfWork, row: SigningIdentityRow) -> int:
    of_it = (AuditEventRow.act == "key.use") & (AuditEventRow.subject == row.name)
    counted = select(func.count()).select_from(AuditEventRow).where(of_it, AuditEventRow.at > uow.now - DAY)
    return uow.session.scalar(counted) or 0
