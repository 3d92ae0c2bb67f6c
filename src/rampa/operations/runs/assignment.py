"""Giving waiting runs to agents that can do them, and taking back what lost agents had.

Both are jobs with one lock, so that one decision is taken after another, however many service processes there are.
"""

from __future__ import annotations

import secrets
import uuid
from collections import Counter

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from rampa.core.build import life as build_life
from rampa.core.build.life import BuildEvent, BuildState
from rampa.core.run import life
from rampa.core.run.abilities import Abilities, WantedAbilities, lacks, nearest_agent
from rampa.core.run.causes import cause_of
from rampa.core.run.life import RunEvent, RunState
from rampa.core.transitions import advance
from rampa.db import queue
from rampa.db.agents import AgentRow
from rampa.db.builds import BuildRow
from rampa.db.runs import LogKindRow, RunRow, RunStepRow
from rampa.operations.agents.agents import LEASE, abilities_of
from rampa.operations.base.context import Services
from rampa.operations.runs.logs import say
from rampa.operations.signing.unlock import locked_for

Busy = Counter[uuid.UUID | None]
AT_ONCE = 500
"""Waiting runs that one decision looks at."""


def assign(services: Services) -> int:
    """Gives what can be given, oldest first; says of every other run what it waits for. Returns how many were given."""
    given = 0
    with services.db.transaction() as session:
        waiting = session.scalars(
            select(RunRow)
            .where(RunRow.state == RunState.WAITING)
            .order_by(RunRow.id)
            .limit(AT_ONCE)
            .with_for_update(of=RunRow)
        )
        agents = _there(session, services)
        busy = Counter(
            dict(
                session.execute(
                    select(RunRow.agent_id, func.count()).where(RunRow.state.in_(life.HELD)).group_by(RunRow.agent_id)
                ).all()
            )
        )
        for run in waiting:
            locked = locked_for(session, services, run) if run.identity and not run.reproduces else ""
            if locked:
                who = "an owner or engineer who knows its passphrase"
                _say_waits(session, run, f"Waits for {locked} to be unlocked by {who}: rampa key unlock {locked}", "")
                continue
            chosen = _choose(run, agents, busy)
            if chosen is None:
                _wait(session, run, agents, busy)
            else:
                _give(session, services, run, chosen)
                busy[chosen.id] += 1
                given += 1
    return given


def _there(session: Session, services: Services) -> list[tuple[AgentRow, Abilities]]:
    since = services.now() - LEASE
    rows = session.scalars(
        select(AgentRow).where(AgentRow.seen_at > since, AgentRow.stopped.is_(False)).order_by(AgentRow.name)
    )
    return [(row, abilities_of(row)) for row in rows]


def wanted_by(run: RunRow) -> WantedAbilities:
    return WantedAbilities(**run.wanted)


def _choose(run: RunRow, agents: list[tuple[AgentRow, Abilities]], busy: Busy) -> AgentRow | None:
    """Of those that can and are free, one that has not lost this run before, then the one that is busy least."""
    able = [a for a, abilities in agents if not a.paused and not lacks(wanted_by(run), abilities)]
    free = [a for a in able if busy[a.id] < a.at_once]
    return min(free, key=lambda a: (a.name in run.lost_agents, busy[a.id] / a.at_once, a.name), default=None)


def _wait(session: Session, run: RunRow, agents: list[tuple[AgentRow, Abilities]], busy: Busy) -> None:
    _say_waits(session, run, *_reason(run, agents, busy))


def _say_waits(session: Session, run: RunRow, said: str, nearest: str) -> None:
    if (said, nearest) != (run.waits_for, run.nearest):
        run.waits_for, run.nearest = said[:1000], nearest
        queue.tell(session, f"run/{run.id}")
        queue.tell(session, f"title/{run.title.slug}")


def _reason(run: RunRow, agents: list[tuple[AgentRow, Abilities]], busy: Busy) -> tuple[str, str]:
    """(why it waits, the agent that comes nearest)."""
    if not agents:
        return "No agent is there. Start one: rampa agent start", ""
    wanted = wanted_by(run)
    able = [a for a, abilities in agents if not lacks(wanted, abilities)]
    if not able:
        found = nearest_agent(wanted, [(a.name, abilities) for a, abilities in agents])
        assert found is not None
        return f"No agent can do it. {found[0]} comes nearest: it {', and '.join(found[1])}", found[0]
    paused = [a.name for a in able if a.paused]
    if len(paused) == len(able):
        return f"Paused: {', '.join(paused)}. Let it go on: rampa agent resume {paused[0]}", paused[0]
    names = ", ".join(f"{a.name} ({busy[a.id]} of {a.at_once})" for a in able if not a.paused)
    return f"Waits for an agent to be free: {names}", able[0].name


def _give(session: Session, services: Services, run: RunRow, agent: AgentRow) -> None:
    run.state = advance(life.TRANSITIONS, RunState(run.state), RunEvent.TAKE, run.name)
    run.attempt += 1
    run.agent_id, run.agent_name, run.lease = agent.id, agent.name, secrets.token_hex(16)
    run.taken_at = run.seen_at = run.spoke_at = services.now()
    run.step, run.progress, run.log_batch, run.waits_for, run.nearest = -1, None, 0, "", ""
    # What an earlier attempt complained of stays in the log; what is counted is this one's.
    run.errors = run.warnings = run.first_error = 0
    session.execute(delete(LogKindRow).where(LogKindRow.run_id == run.id))
    again = f", attempt {run.attempt}" if run.attempt > 1 else ""
    say(session, run, f"Given to agent {agent.name}{again}.")
    queue.tell(session, f"agent/{agent.id}")
    queue.tell(session, f"title/{run.title.slug}")


def look_for_lost(services: Services) -> int:
    """Runs whose agent fell silent, or was started again, wait again or fail. Returns how many."""
    with services.db.transaction() as session:
        since = services.now() - LEASE
        held = session.scalars(
            select(RunRow).where(RunRow.state.in_(life.HELD)).order_by(RunRow.id).with_for_update(of=RunRow)
        )
        lost = [(run, why) for run in held for why in [_why_lost(services, run, since)] if why]
        for run, why in lost:
            lose(session, services, run, why)
        if lost:
            queue.put(session, "assign", queue.RUNS, lock="assign")
        return len(lost)


def _why_lost(services: Services, run: RunRow, since: object) -> str:
    agent = run.agent
    if agent is None:
        return "its agent is not known any more"
    if agent.stopped:
        return f"{agent.name} was stopped"
    if run.taken_at and agent.started_at > run.taken_at:
        return f"{agent.name} was started again"
    if run.seen_at and run.seen_at < since:  # type: ignore[operator]
        silent = (services.now() - run.seen_at).total_seconds()
        return f"{agent.name} was silent for {silent:.0f} s"
    return ""


def lose(session: Session, services: Services, run: RunRow, why: str) -> None:
    """The attempt is over: its steps are stopped, its half-made build is given up and its version code burned."""
    stop_steps(session, services, run, why)
    give_up_build(session, run)
    stopping = run.state == RunState.STOPPING
    run.lost_agents = [*run.lost_agents, run.agent_name]
    if stopping:
        run.state = advance(life.TRANSITIONS, RunState.STOPPING, RunEvent.LOSE, run.name)
        say(session, run, f"The run was lost while it was being stopped: {why}.")
    elif run.attempt >= life.ATTEMPTS:
        run.state = advance(life.TRANSITIONS, RunState(run.state), RunEvent.FAIL, run.name)
        cause = cause_of(
            "agent.lost", agent=run.agent_name, detail=f"{run.attempt} times: {', '.join(run.lost_agents)}"
        )
        run.cause = {"code": cause.code, "sentence": cause.sentence, "fix": cause.fix}
        say(session, run, f"The run was lost: {why}. It is not tried again.")
    else:
        run.state = advance(life.TRANSITIONS, RunState(run.state), RunEvent.LOSE, run.name)
        run.waits_for = f"Lost by {run.agent_name}; waits to be given to an agent again"
        say(session, run, f"The run was lost: {why}. It waits for an agent again.")
    if RunState(run.state) in life.ENDED:
        run.ended_at = services.now()
    run.lease, run.step, run.progress = "", -1, None
    queue.tell(session, f"run/{run.id}")
    queue.tell(session, f"title/{run.title.slug}")


def stop_steps(session: Session, services: Services, run: RunRow, why: str = "") -> None:
    """What the attempt was working on when it came to its end."""
    for step in session.scalars(
        select(RunStepRow).where(
            RunStepRow.run_id == run.id, RunStepRow.attempt == run.attempt, RunStepRow.state == "working"
        )
    ):
        step.state, step.ended_at = "stopped", services.now()
        step.said = why[:500] or step.said


def give_up_build(session: Session, run: RunRow) -> None:
    """A build that the run opened and did not complete; its version code is burned."""
    opened = session.scalars(
        select(BuildRow).where(
            BuildRow.title_id == run.title_id, BuildRow.run == run.number, BuildRow.state == BuildState.OPEN
        )
    )
    for build in opened:
        build.state = advance(build_life.TRANSITIONS, BuildState.OPEN, BuildEvent.ABANDON, build.name)
