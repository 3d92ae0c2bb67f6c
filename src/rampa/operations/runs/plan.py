"""What a run would do, before it is started: source, steps, names of variables, agents, what stops it, what is native."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sqlalchemy import select

from rampa.core.check.findings import Finding
from rampa.core.platform.table import platform_title
from rampa.core.run.abilities import choose, lacks, wanted_of
from rampa.db import (
    AgentRow,
    VariablesRow,
    find_title,
)
from rampa.operations.agents.agents import agent_state
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.runs.native import native_plan
from rampa.operations.runs.prepared import Prepared, prepare
from rampa.operations.signing.continuity import check_backup
from rampa.schema import runs as wire


def plan_runs(services: Services, slug: str, asked: wire.NewRuns) -> wire.PlanList:
    """Changes nothing."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        prepared = prepare(uow, title, asked)
        agents = list(uow.session.scalars(select(AgentRow).order_by(AgentRow.name)))
        return wire.PlanList(plans=[_plan(uow, p, agents) for p in prepared])


def _plan(uow: UnitOfWork, p: Prepared, agents: Sequence[AgentRow]) -> wire.Plan:
    row = (
        uow.session.scalar(select(VariablesRow).where(VariablesRow.name == p.step_variables))
        if p.step_variables
        else None
    )
    wanted = wanted_of(p.profile)
    toolchain = " ".join(x for x in (wanted.toolchain, wanted.versions) if x)
    return wire.Plan(
        profile=p.profile.name,
        platform=wanted.platform,
        platform_title=platform_title(wanted.platform),
        purpose=p.profile.settings.purpose,
        revision=p.title.revision,
        commit=p.origin.commit,
        subject=p.origin.subject,
        ref=p.origin.ref,
        folder=p.origin.folder,
        step_variables=p.step_variables,
        variables=sorted(row.variables) if row else [],
        secrets=[n for n in (row.secrets if row else ()) if n in p.secrets],
        steps=list(p.steps),
        toolchain=toolchain + (f", licence “{wanted.licence}”" if wanted.licence else ""),
        agents=[_agent(uow.services, a, p) for a in agents],
        findings=[*(f.plain() for f in p.findings), *_backup(uow, p)],
        stops=p.stops,
        native=native_plan(uow, p.title, p.document, p.profile, p.native, p.origin.files),
        expected=p.expected.total([s.name for s in p.steps]),
        version_name=p.version_name,
        next_code=p.code,
    )


def _agent(services: Services, agent: AgentRow, p: Prepared) -> wire.PlanAgent:
    wanted, abilities = replace(wanted_of(p.profile), isolated=p.title.sandbox_needed), agent.abilities
    found, state = choose(wanted, abilities.toolchains), agent_state(services, agent, 0)
    gone = {"lost": ["is lost"], "stopped": ["was stopped"]}.get(state, [])
    return wire.PlanAgent(
        name=agent.name,
        state=state,
        lacks=gone + lacks(wanted, abilities),
        toolchain=f"{found.name} {found.version}" if found else "",
    )


def _backup(uow: UnitOfWork, p: Prepared) -> list[Finding]:
    # Only a release is lost with its identity: test builds may be signed by anything.
    if not p.identity or p.profile.settings.purpose != "release":
        return []
    return check_backup(uow, p.identity)
