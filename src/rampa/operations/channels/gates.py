"""Gates of a channel: the rules, a build before them, approving it, waiving one."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.check.budgets import CODES
from rampa.core.check.findings import Finding
from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.core.health.comparison import Verdict
from rampa.core.placement.gates import (
    BuildFacts,
    Gate,
    GateKind,
    GateLook,
    check_gates,
    check_ways,
    look,
    weighted_median,
)
from rampa.core.placement.life import LIVE
from rampa.core.submission.life import WORDS, SubmissionState
from rampa.core.testers.sign_off import failures, signed_by
from rampa.db import (
    BindingRow,
    BuildApprovalRow,
    BuildRow,
    ChannelRow,
    GateWaiverRow,
    PersonRow,
    PlacementRow,
    checklists_for,
    find_build,
    find_channel,
    finished_sign_offs,
    newest_review,
    roles_at,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, may, must
from rampa.operations.channels.having import builds_had
from rampa.operations.channels.obstacles import check, line_of_build
from rampa.operations.channels.placements import get_channel, waived_out
from rampa.operations.channels.standing import load_standing
from rampa.operations.updates.costs import update_costs
from rampa.schema import channels as wire


def set_gates(services: Services, actor: Actor, slug: str, name: str, asked: wire.GatesIn) -> wire.Channel:
    """All of a channel's gates, in place of those that it had. What is live stays live."""
    must(actor, Act.SET_GATES)
    gates = tuple(Gate(**gate.model_dump()) for gate in asked.gates)
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name, lock=True)
        check_gates(gates, channel.name)
        for gate in gates:
            if gate.channel:
                find_channel(uow.session, slug, gate.channel)
        others = select(ChannelRow).where(ChannelRow.title_id == channel.title_id, ChannelRow.id != channel.id)
        tables = {name: c.gates for c in uow.session.scalars(others) for name in (c.name, *c.former)}
        check_ways({**{name: gates for name in (channel.name, *channel.former)}, **tables})
        channel.gates = gates
        # Whoever looked at a placement before looks again.
        channel.version += 1
        said = ", ".join(gate.key for gate in gates) or "none"
        audit.record(uow, "channel.gates", channel.name, slug, gates=said)
    return get_channel(services, actor, slug, name)


def approve_build(services: Services, actor: Actor, slug: str, name: str, number: int) -> list[wire.GateOut]:
    """A person's word that this build may stand there. Twice is no error; whoever places it does not count."""
    must(actor, Act.APPROVE_BUILD)
    with begin(services, actor) as uow:
        channel, build = find_channel(uow.session, slug, name), find_build(uow.session, slug, number)
        row = {"build_id": build.id, "channel_id": channel.id, "person_id": actor.principal, "at": uow.now}
        made = insert(BuildApprovalRow).values(**row).on_conflict_do_nothing().returning(BuildApprovalRow.at)
        if uow.session.execute(made).scalar() is not None:
            audit.record(uow, "build.approve", build.name, slug, channel=channel.name)
    return list_gates(services, actor, slug, name, number)


def waive_gate(
    services: Services, actor: Actor, slug: str, name: str, number: int, asked: wire.WaiveIn
) -> list[wire.GateOut]:
    """For one build, by an owner, with a reason, which stays."""
    must(actor, Act.WAIVE_GATE)
    with begin(services, actor) as uow:
        channel, build = find_channel(uow.session, slug, name), find_build(uow.session, slug, number)
        if asked.gate not in {gate.key for gate in channel.gates}:
            known = ", ".join(gate.key for gate in channel.gates) or "none"
            hint = f"It has: {known}."
            raise NotFound("gate.unknown", f"{channel.name} has no gate {asked.gate!r}", where="gate", hint=hint)
        key = (build.id, channel.id, asked.gate)
        if uow.session.get(GateWaiverRow, key) is not None:
            raise Conflict("gate.waived", f"{asked.gate} is waived for {build.name} already")
        reason = asked.reason.strip()
        if len(reason) < 5:
            raise Invalid("gate.reason", "the reason is too short to be one", where="reason")
        row = GateWaiverRow(
            build_id=build.id,
            channel_id=channel.id,
            gate=asked.gate,
            reason=reason,
            waived_by=actor.name,
            at=uow.now,
        )
        uow.session.add(row)
        audit.record(uow, "gate.waive", build.name, slug, channel=channel.name, gate=asked.gate, reason=reason)
    return list_gates(services, actor, slug, name, number)


def list_gates(services: Services, actor: Actor, slug: str, name: str, number: int) -> list[wire.GateOut]:
    """How a channel's gates stand for a build that `actor` would place."""
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number)
        channel = find_channel(uow.session, slug, name)
        findings = check(uow, load_standing(uow, build.title), build, channel) if channel.gates else []
    return gates_of(services, actor, channel, build, findings)


def gates_of(
    services: Services, actor: Actor, channel: ChannelRow, build: BuildRow, findings: list[Finding]
) -> list[wire.GateOut]:
    if not channel.gates:
        return []
    update = _median_update(services, channel, build) if _asks(channel, GateKind.UPDATE) else None
    with begin(services, actor) as uow:
        facts = _facts(uow, channel, build, findings, update)
        waived = select(GateWaiverRow).where(GateWaiverRow.build_id == build.id, GateWaiverRow.channel_id == channel.id)
        waivers = {row.gate: row for row in uow.session.scalars(waived)}
    return [_gate(look(gate, facts), waivers.get(gate.key)) for gate in channel.gates]


def must_be_open(gates: list[wire.GateOut], build: BuildRow, channel: ChannelRow) -> None:
    """Raises `Refused` with what each closed gate misses."""
    closed = [gate for gate in gates if gate.state == "closed"]
    if closed:
        lines = "".join(f"\n  {g.said}: {g.missing} ({g.who}: {g.where})" for g in closed)
        raise Refused("gate.closed", f"{build.name} does not pass to {channel.name}:{lines}", where=closed[0].gate)


def _asks(channel: ChannelRow, kind: GateKind) -> bool:
    return any(gate.kind == kind for gate in channel.gates)


def _facts(
    uow: UnitOfWork, channel: ChannelRow, build: BuildRow, findings: list[Finding], update: int | None
) -> BuildFacts:
    asked = _asks(channel, GateKind.SIGN_OFFS)
    finished = finished_sign_offs(uow.session, build.id) if asked else []
    wanted = tuple(c.name for c in checklists_for(uow.session, build)) if asked else ()
    review = newest_review(uow.session, build.id, channel.id) if _asks(channel, GateKind.REVIEWED) else None
    return BuildFacts(
        reviewed=WORDS[review.state] if review else "",
        review_passed=review is not None and review.state is SubmissionState.PASSED,
        warnings=tuple(f.message for f in findings if f.severity == "warning"),
        bound=_bound(uow, build),
        stood=_stood(uow, build),
        worse=_worse(uow, build),
        approved_by=_approved_by(uow, channel, build),
        may_approve=_may_approve(uow, channel),
        update=update,
        over=tuple(f.message for f in findings if f.code in CODES),
        checklists=wanted,
        signed=signed_by(wanted, finished),
        failed=failures(finished),
    )


def _bound(uow: UnitOfWork, build: BuildRow) -> bool | None:
    line = line_of_build(uow, build)
    asked = select(BindingRow).where(BindingRow.identifier == line.identifier, BindingRow.place == line.place)
    bound = uow.session.scalar(asked)
    if bound is None or build.bundle is None:
        return None
    return bound.fingerprint == build.bundle.fingerprint


def _stood(uow: UnitOfWork, build: BuildRow) -> dict[str, dt.timedelta]:
    """How long it was live on each channel, all times together; the name is the one that the channel has now."""
    out: dict[str, dt.timedelta] = defaultdict(dt.timedelta)
    for row in uow.session.scalars(select(PlacementRow).where(PlacementRow.build_id == build.id)):
        until = uow.now if row.state in LIVE else row.ended_at or row.created_at
        stood = max(dt.timedelta(), until - row.created_at)
        for name in (row.channel.name, *row.channel.former):
            out[name] += stood
    return out


def _worse(uow: UnitOfWork, build: BuildRow) -> dict[str, str]:
    """Where its devices fared worse when they were last looked at, by the name that the channel has now and those it had."""
    rows = select(PlacementRow).where(PlacementRow.build_id == build.id, PlacementRow.verdict == Verdict.WORSE)
    return {
        name: row.health_said
        for row in uow.session.scalars(rows.order_by(PlacementRow.number))
        for name in (row.channel.name, *row.channel.former)
    }


def _approved_by(uow: UnitOfWork, channel: ChannelRow, build: BuildRow) -> tuple[str, ...]:
    """Of people who still may, without who would place it."""
    rows = (
        select(PersonRow)
        .join(BuildApprovalRow, BuildApprovalRow.person_id == PersonRow.id)
        .where(BuildApprovalRow.build_id == build.id, BuildApprovalRow.channel_id == channel.id)
        .where(PersonRow.disabled_at.is_(None), PersonRow.id != uow.actor.principal)
        .order_by(PersonRow.name)
    )
    here = roles_at(uow.session, channel.title_id)
    return tuple(p.name for p in uow.session.scalars(rows) if may(here[p.id], Act.APPROVE_BUILD))


def _may_approve(uow: UnitOfWork, channel: ChannelRow) -> int:
    """People who may, without who would place it."""
    here = roles_at(uow.session, channel.title_id)
    return sum(may(role, Act.APPROVE_BUILD) for person, role in here.items() if person != uow.actor.principal)


def _median_update(services: Services, channel: ChannelRow, build: BuildRow) -> int | None:
    with begin(services) as uow:
        commonest = builds_had(uow, channel, build)
    costs: dict[int, int] = defaultdict(int)
    found = update_costs(services, [(build, old) for old, _ in commonest])
    for (_, count), cost in zip(commonest, found, strict=True):
        costs[cost.download] += count
    return weighted_median(costs)


def _gate(seen: GateLook, waiver: GateWaiverRow | None) -> wire.GateOut:
    state = "passed" if seen.passed else "waived" if waiver else "closed"
    return wire.GateOut(
        gate=seen.gate.key,
        said=seen.said,
        state=state,
        missing=seen.missing,
        who=seen.who,
        where=seen.where,
        waived=waived_out(waiver) if waiver else None,
    )
