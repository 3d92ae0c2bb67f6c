"""Agents: registering, what they can do, how they stand."""

from __future__ import annotations

import datetime as dt
import os

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, NotFound
from rampa.core.run import life
from rampa.core.run.abilities import Abilities, Toolchain
from rampa.core.run.life import RunState
from rampa.db import queue
from rampa.db.agents import AgentRow
from rampa.db.people import PersonRow
from rampa.db.runs import RunRow
from rampa.operations.base import audit
from rampa.operations.base.context import Actor, Services
from rampa.schema import agents as wire
from rampa.schema.common import Action, Page, Role

LEASE = dt.timedelta(seconds=float(os.environ.get("RAMPA_LEASE_SECONDS", "30")))
"""How long an agent may be silent before what it has is lost to it."""


def find_agent(session: Session, name: str, *, lock: bool = False) -> AgentRow:
    rows = select(AgentRow).where(AgentRow.name == name)
    row = session.scalar(rows.with_for_update() if lock else rows)
    if row is None:
        known = ", ".join(session.scalars(select(AgentRow.name).order_by(AgentRow.name).limit(10)))
        hint = f"There is: {known}." if known else "Start one: `rampa agent start`."
        raise NotFound("agent.unknown", f"there is no agent {name!r}", where="agent", hint=hint)
    return row


def register(services: Services, actor: Actor, name: str, asked: wire.RegisterIn) -> wire.Agent:
    """A start of an agent. What an earlier start of the same agent still has is lost to it at once."""
    with services.db.transaction() as session:
        row = session.scalar(select(AgentRow).where(AgentRow.name == name).with_for_update())
        if row is not None and row.instance != asked.instance and _answers(services, row) and not row.stopped:
            # It may have been killed a moment ago: whoever starts it again means it. Two at once would take turns, and say so.
            audit.record(session, services, actor, "agent.replace", name)
        if row is None:
            row = AgentRow(name=name, person_id=actor.person_id, created_at=services.now(), paused=False, instance="")
            session.add(row)
        if row.instance != asked.instance:
            row.started_at = services.now()
            audit.record(session, services, actor, "agent.start", name, at_once=asked.at_once)
        row.instance, row.at_once, row.stopped = asked.instance, asked.at_once, False
        row.abilities, row.seen_at = asked.abilities.model_dump(), services.now()
        session.flush()
        queue.put(session, "look_for_lost", queue.RUNS, lock="assign")
        queue.put(session, "assign", queue.RUNS, lock="assign")
        return describe(session, services, actor, row)


def must_be(row: AgentRow, instance: str) -> None:
    if row.instance != instance:
        hint = "Give each agent a name of its own: `rampa agent start --name NAME`."
        raise Conflict("agent.replaced", f"another process runs as agent {row.name}", where="agent", hint=hint)


def list_agents(services: Services, actor: Actor) -> Page[wire.Agent]:
    with services.db.transaction() as session:
        rows = list(session.scalars(select(AgentRow).order_by(AgentRow.name)))
        return Page[wire.Agent](items=[describe(session, services, actor, r) for r in rows])


def get_agent(services: Services, actor: Actor, name: str) -> wire.Agent:
    with services.db.transaction() as session:
        return describe(session, services, actor, find_agent(session, name))


def change_agent(services: Services, actor: Actor, name: str, asked: wire.AgentChange) -> wire.Agent:
    with services.db.transaction() as session:
        row = find_agent(session, name, lock=True)
        if row.paused != asked.paused:
            row.paused = asked.paused
            audit.record(session, services, actor, "agent.pause" if asked.paused else "agent.resume", name)
            queue.put(session, "assign", queue.RUNS, lock="assign")
        return describe(session, services, actor, row)


def remove_agent(services: Services, actor: Actor, name: str) -> None:
    """Forgets an agent that is gone. What it did keeps its name."""
    with services.db.transaction() as session:
        row = find_agent(session, name, lock=True)
        if _answers(services, row) and not row.stopped:
            raise Conflict("agent.there", f"the agent {name} is there", where="agent", hint="Stop it first.")
        held = session.scalar(select(func.count()).where(RunRow.agent_id == row.id, RunRow.state.in_(life.HELD)))
        if held:
            raise Conflict("agent.busy", f"the agent {name} has {held} runs", where="agent", hint="Cancel them first.")
        for run in session.scalars(select(RunRow).where(RunRow.agent_id == row.id)):
            run.agent_id = None
        session.flush()
        session.delete(row)
        audit.record(session, services, actor, "agent.remove", name)


def say_goodbye(services: Services, name: str, instance: str) -> None:
    """The agent ends by itself; what it had was ended or is given to others."""
    with services.db.transaction() as session:
        row = find_agent(session, name, lock=True)
        if row.instance == instance:
            row.stopped = True
            queue.put(session, "look_for_lost", queue.RUNS, lock="assign")


def _answers(services: Services, row: AgentRow) -> bool:
    return row.seen_at is not None and services.now() - row.seen_at < LEASE


def agent_state(services: Services, row: AgentRow, busy: int) -> str:
    if row.stopped:
        return "stopped"
    if not _answers(services, row):
        return "lost"
    if row.paused:
        return "paused"
    return "working" if busy else "idle"


def abilities_of(row: AgentRow) -> Abilities:
    said = row.abilities
    chains = [
        Toolchain(t["name"], t["version"], tuple(t["licences"]), tuple(t["platforms"])) for t in said["toolchains"]
    ]
    return Abilities(
        tuple(said["platforms"]), tuple(chains), said["cores"], said["memory"], said["disk"], said["system"]
    )


def describe(session: Session, services: Services, actor: Actor, row: AgentRow) -> wire.Agent:
    held = session.scalars(
        select(RunRow).where(RunRow.agent_id == row.id, RunRow.state.in_(life.HELD)).order_by(RunRow.id)
    )
    runs = [_run(services, r) for r in held]
    done = session.scalar(select(func.count()).where(RunRow.agent_name == row.name, RunRow.state == RunState.DONE)) or 0
    person = session.get(PersonRow, row.person_id)
    state = agent_state(services, row, len(runs))
    may = actor.role in (Role.OWNER, Role.ENGINEER)
    role = "" if may else f"A {actor.role} may not."
    gone = state in ("stopped", "lost") and not runs
    return wire.Agent(
        name=row.name,
        state=state,
        abilities=wire.AbilitiesWire(**row.abilities),
        at_once=row.at_once,
        paused=row.paused,
        runs=runs,
        done=done,
        seen_at=row.seen_at,
        started_at=row.started_at,
        registered_by=person.name if person else "",
        allowed_actions=[
            Action(name="resume" if row.paused else "pause", possible=may, reason=role),
            Action(name="remove", possible=may and gone, reason=role or ("" if gone else f"It is {state}.")),
        ],
    )


def _run(services: Services, run: RunRow) -> wire.AgentRun:
    step = run.steps[run.step]["name"] if 0 <= run.step < len(run.steps) else ""
    seconds = (services.now() - run.taken_at).total_seconds() if run.taken_at else 0.0
    return wire.AgentRun(title=run.title.slug, run=run.number, profile=run.profile, step=step, seconds=seconds)
