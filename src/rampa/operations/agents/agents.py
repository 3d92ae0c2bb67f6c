"""Agents: starting, what they can do, how they stand."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import asdict

from sqlalchemy import func, select

from rampa.core.agent.life import AgentEvent, AgentState, possible_events, state_of
from rampa.core.errors import Conflict, Denied
from rampa.core.run import life
from rampa.core.run.abilities import Abilities, Toolchain
from rampa.core.run.life import RunState
from rampa.db import AgentRow, RunAttemptRow, RunRow, find_agent, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, from_events
from rampa.schema import agents as wire
from rampa.schema.common import Page

OFFERED = {
    AgentEvent.PAUSE: Act.CHANGE_AGENT,
    AgentEvent.RESUME: Act.CHANGE_AGENT,
    AgentEvent.REMOVE: Act.CHANGE_AGENT,
}


def register(services: Services, actor: Actor, asked: wire.RegisterIn) -> wire.Agent:
    """A start of an agent. What an earlier start of the same agent still has is lost to it at once."""
    must_start(actor, asked.instance)
    with begin(services, actor) as uow:
        row = find_agent(uow.session, actor.agent, lock=True)
        if row.instance != asked.instance and _answers(services, row) and not row.stopped:
            # It may have been killed a moment ago: whoever starts it again means it. Two at once would take turns, and say so.
            audit.record(uow, "agent.replace", row.name)
        # Its steps ended with the process that ran them, whatever the earlier start believed.
        if row.instance != asked.instance:
            row.started_at = services.now()
            audit.record(uow, "agent.start", row.name, at_once=asked.at_once)
        row.instance, row.at_once, row.stopped = asked.instance, asked.at_once, False
        row.abilities, row.seen_at = abilities_in(asked.abilities), services.now()
        uow.session.flush()
        queue.put(uow.session, "look_for_lost", queue.RUNS, lock="assign")
        queue.put(uow.session, "assign", queue.RUNS, lock="assign")
        return describe(uow, row)


def must_start(actor: Actor, instance: str) -> None:
    """A token speaks for the start of the agent that it was given to: a stolen one does not take the agent's name."""
    if instance != actor.instance:
        raise Denied("agent.instance", f"this token was given to another start of {actor.name}", where="instance")


def must_be(row: AgentRow, instance: str) -> None:
    if row.instance != instance:
        hint = "Give each agent a name of its own: `rampa agent start --name NAME`."
        raise Conflict("agent.replaced", f"another process runs as agent {row.name}", where="agent", hint=hint)


def list_agents(services: Services, actor: Actor) -> Page[wire.Agent]:
    with begin(services, actor) as uow:
        rows = list(uow.session.scalars(select(AgentRow).order_by(AgentRow.name)))
        return Page[wire.Agent](items=describe_all(uow, rows))


def get_agent(services: Services, actor: Actor, name: str) -> wire.Agent:
    with begin(services, actor) as uow:
        return describe(uow, find_agent(uow.session, name))


def change_agent(services: Services, actor: Actor, name: str, asked: wire.AgentChange) -> wire.Agent:
    with begin(services, actor) as uow:
        row = find_agent(uow.session, name, lock=True)
        if row.paused != asked.paused:
            row.paused = asked.paused
            audit.record(uow, "agent.pause" if asked.paused else "agent.resume", name)
            queue.put(uow.session, "assign", queue.RUNS, lock="assign")
        return describe(uow, row)


def remove_agent(services: Services, actor: Actor, name: str) -> None:
    """Ends its key and its tokens at once. What it did keeps its name; what it has goes to another agent."""
    with begin(services, actor) as uow:
        row = find_agent(uow.session, name, lock=True)
        held = _held_by(uow, [row]).get(row.id, [])
        for attempt in uow.session.scalars(select(RunAttemptRow).where(RunAttemptRow.agent_id == row.id)):
            attempt.agent_id = None
        uow.session.flush()
        uow.session.delete(row)
        audit.record(uow, "agent.remove", name, runs=len(held))
        queue.put(uow.session, "look_for_lost", queue.RUNS, lock="assign")


def say_goodbye(services: Services, actor: Actor, instance: str) -> None:
    """The agent ends by itself; what it had was ended or is given to others."""
    must_start(actor, instance)
    with begin(services, actor) as uow:
        row = find_agent(uow.session, actor.agent, lock=True)
        if row.instance == instance:
            row.stopped = True
            queue.put(uow.session, "look_for_lost", queue.RUNS, lock="assign")


def _answers(services: Services, row: AgentRow) -> bool:
    return row.seen_at is not None and services.now() - row.seen_at < services.lease


def agent_state(services: Services, row: AgentRow, busy: int) -> AgentState:
    answers = _answers(services, row)
    return state_of(stopped=row.stopped, answers=answers, paused=row.paused, busy=bool(busy))


def abilities_in(sent: wire.AbilitiesWire) -> Abilities:
    chains = [Toolchain(t.name, t.version, tuple(t.licences), tuple(t.platforms)) for t in sent.toolchains]
    return Abilities(
        platforms=tuple(sent.platforms),
        toolchains=tuple(chains),
        cores=sent.cores,
        memory=sent.memory,
        disk=sent.disk,
        system=sent.system,
        isolation=sent.isolation,
        kernel_limits=sent.kernel_limits,
    )


def describe(uow: UnitOfWork, row: AgentRow) -> wire.Agent:
    return describe_all(uow, [row])[0]


def describe_all(uow: UnitOfWork, rows: Sequence[AgentRow]) -> list[wire.Agent]:
    """In a handful of queries, however many agents there are."""
    held, done = _held_by(uow, rows), _done_by(uow, rows)
    return [_agent(uow, r, held.get(r.id, []), done.get(r.name, 0)) for r in rows]


def _held_by(uow: UnitOfWork, rows: Sequence[AgentRow]) -> dict[uuid.UUID, list[wire.AgentRun]]:
    asked = select(RunRow).join(RunAttemptRow).where(RunAttemptRow.agent_id.in_({r.id for r in rows}))
    asked = asked.where(RunRow.state.in_(life.HELD)).order_by(RunRow.id)
    found: dict[uuid.UUID, list[wire.AgentRun]] = {}
    for run in uow.session.scalars(asked):
        if run.attempt.agent_id:
            found.setdefault(run.attempt.agent_id, []).append(_run(uow.services, run))
    return found


def _done_by(uow: UnitOfWork, rows: Sequence[AgentRow]) -> dict[str, int]:
    asked = select(RunAttemptRow.agent_name, func.count()).select_from(RunRow).join(RunAttemptRow)
    asked = asked.where(RunAttemptRow.agent_name.in_({r.name for r in rows}), RunRow.state == RunState.DONE)
    return {name: count for name, count in uow.session.execute(asked.group_by(RunAttemptRow.agent_name))}


def _agent(uow: UnitOfWork, row: AgentRow, runs: list[wire.AgentRun], done: int) -> wire.Agent:
    state = agent_state(uow.services, row, len(runs))
    return wire.Agent(
        name=row.name,
        state=state,
        abilities=wire.AbilitiesWire(**asdict(row.abilities)),
        at_once=row.at_once,
        paused=row.paused,
        runs=runs,
        done=done,
        seen_at=row.seen_at,
        started_at=row.started_at,
        enrolled_by=row.enrolled_by,
        allowed_actions=from_events(uow.actor, state, possible_events(paused=row.paused), OFFERED),
    )


def _run(services: Services, run: RunRow) -> wire.AgentRun:
    step = run.order.steps[run.attempt.step].name if 0 <= run.attempt.step < len(run.order.steps) else ""
    seconds = (services.now() - run.attempt.taken_at).total_seconds() if run.attempt.taken_at else 0.0
    return wire.AgentRun(title=run.title.slug, run=run.number, profile=run.profile, step=step, seconds=seconds)
