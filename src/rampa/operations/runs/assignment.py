"""Giving waiting runs to agents that can do them, and taking back what lost agents had.

Both are jobs with one lock, so that one decision is taken after another, however many service processes there are.
"""

from __future__ import annotations

import secrets
import uuid
from collections import Counter
from dataclasses import replace

from sqlalchemy import delete, func, select

from rampa.core.build.life import BuildEvent, BuildState
from rampa.core.run import life
from rampa.core.run.abilities import Abilities, WantedAbilities, lacks, nearest_agent
from rampa.core.run.causes import cause_of
from rampa.core.run.life import RunEvent, RunState, StepState
from rampa.db import AgentRow, BuildOriginRow, BuildRow, LogKindRow, RunAttemptRow, RunRow, RunStepRow, locked, queue
from rampa.operations.base import Services, UnitOfWork, begin, transition
from rampa.operations.runs.logs import say
from rampa.operations.signing.policy import approvals_missing
from rampa.operations.signing.unlock import locked_for

Busy = Counter[uuid.UUID | None]
AT_ONCE = 500
"""Waiting runs that one decision looks at."""


def assign(services: Services) -> int:
    """Gives what can be given, oldest first; says of every other run what it waits for. Returns how many were given."""
    given = 0
    with begin(services) as uow:
        waiting = locked(
            uow.session, select(RunRow).where(RunRow.state == RunState.WAITING).order_by(RunRow.id).limit(AT_ONCE)
        )
        agents = _there(uow)
        busy = _busy(uow)
        for run in waiting:
            locked_key = locked_for(uow, run) if run.order.identity and run.order.keeps else ""
            if locked_key:
                who = "an owner or engineer who knows its passphrase"
                _say_waits(
                    uow, run, f"Waits for {locked_key} to be unlocked by {who}: rampa key unlock {locked_key}", ""
                )
                continue
            missing = approvals_missing(uow, run) if run.order.identity and run.order.keeps else 0
            if missing:
                people = "one more person's approval" if missing == 1 else f"approval by {missing} more people"
                _say_waits(uow, run, f"Waits for {people}: rampa run approve {run.number}", "")
                continue
            chosen = _choose(run, agents, busy)
            if chosen is None:
                _wait(uow, run, agents, busy)
            else:
                _give(uow, run, chosen)
                busy[chosen.id] += 1
                given += 1
    return given


def _there(uow: UnitOfWork) -> list[tuple[AgentRow, Abilities]]:
    since = uow.now - uow.services.lease
    rows = uow.session.scalars(
        select(AgentRow).where(AgentRow.seen_at > since, AgentRow.stopped.is_(False)).order_by(AgentRow.name)
    )
    return [(row, row.abilities) for row in rows]


def wanted_by(run: RunRow) -> WantedAbilities:
    # Asked now, not when it was started: the owner can lift it while runs wait.
    return replace(run.order.wanted, isolated=run.title.sandbox_needed)


def _choose(run: RunRow, agents: list[tuple[AgentRow, Abilities]], busy: Busy) -> AgentRow | None:
    """Of those that can and are free, one that has not lost this run before, then the one that is busy least."""
    able = [a for a, abilities in agents if not a.paused and not lacks(wanted_by(run), abilities)]
    free = [a for a in able if busy[a.id] < a.at_once]
    # A run whose agent just lost it may have lost it because of what it does to the machine: another one is tried
    # first.
    return min(free, key=lambda a: (a.name in run.attempt.lost_agents, busy[a.id] / a.at_once, a.name), default=None)


def free_slots(uow: UnitOfWork, wanted: WantedAbilities) -> int:
    """How many runs more could begin now on the agents that can do it."""
    able = [a for a, abilities in _there(uow) if not a.paused and not lacks(wanted, abilities)]
    busy = _busy(uow)
    return sum(max(0, a.at_once - busy[a.id]) for a in able)


def _busy(uow: UnitOfWork) -> Busy:
    """Agent -> runs that it has."""
    rows = (
        select(RunAttemptRow.agent_id, func.count())
        .join(RunRow)
        .where(RunRow.state.in_(life.HELD))
        .group_by(RunAttemptRow.agent_id)
    )
    return Counter(dict(uow.session.execute(rows).all()))


def _wait(uow: UnitOfWork, run: RunRow, agents: list[tuple[AgentRow, Abilities]], busy: Busy) -> None:
    _say_waits(uow, run, *_reason(run, agents, busy))


def _say_waits(uow: UnitOfWork, run: RunRow, said: str, nearest: str) -> None:
    # Only what changed is told: the question is asked every few seconds, and each telling wakes all that look on.
    if (said, nearest) != (run.attempt.waits_for, run.attempt.nearest):
        run.attempt.waits_for, run.attempt.nearest = said[:1000], nearest
        queue.tell(uow.session, f"run/{run.id}")
        queue.tell(uow.session, f"title/{run.title.slug}")


def _reason(run: RunRow, agents: list[tuple[AgentRow, Abilities]], busy: Busy) -> tuple[str, str]:
    """(why it waits, the agent that comes nearest)."""
    if not agents:
        return "No agent is there. Enrol one: rampa agent enrol NAME", ""
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


def _give(uow: UnitOfWork, run: RunRow, agent: AgentRow) -> None:
    transition(uow, run, RunEvent.TAKE, agent=agent.name, attempt=run.attempt.number + 1)
    run.attempt.number += 1
    # A new lease for each attempt: whatever the agent before still sends with the old one is refused.
    run.attempt.agent_id, run.attempt.agent_name, run.attempt.lease = agent.id, agent.name, secrets.token_hex(16)
    run.attempt.isolation = agent.abilities.isolation
    run.attempt.taken_at = run.attempt.seen_at = run.attempt.spoke_at = uow.now
    run.attempt.step, run.attempt.progress, run.log.batch, run.attempt.waits_for, run.attempt.nearest = (
        -1,
        None,
        0,
        "",
        "",
    )
    # What an earlier attempt complained of stays in the log; what is counted is this one's.
    run.log.errors = run.log.warnings = run.log.first_error = 0
    uow.session.execute(delete(LogKindRow).where(LogKindRow.run_id == run.id))
    again = f", attempt {run.attempt.number}" if run.attempt.number > 1 else ""
    say(uow, run, f"Given to agent {agent.name}{again}.")
    queue.tell(uow.session, f"agent/{agent.id}")
    queue.tell(uow.session, f"title/{run.title.slug}")


def look_for_lost(services: Services) -> int:
    """Runs whose agent fell silent, or was started again, wait again or fail. Returns how many."""
    with begin(services) as uow:
        since = services.now() - services.lease
        held = locked(uow.session, select(RunRow).where(RunRow.state.in_(life.HELD)).order_by(RunRow.id))
        lost = [(run, why) for run in held for why in [_why_lost(services, run, since)] if why]
        for run, why in lost:
            lose(uow, run, why)
        if lost:
            queue.put(uow.session, "assign", queue.RUNS, lock="assign")
        return len(lost)


def _why_lost(services: Services, run: RunRow, since: object) -> str:
    agent = run.attempt.agent
    # Disabled, or deleted, with its run still marked as held: nobody will ever report it.
    if agent is None:
        return "its agent is not known any more"
    if agent.stopped:
        return f"{agent.name} was stopped"
    # Its programs ended with it, even though its signs of life did not pause for long enough to tell.
    if run.attempt.taken_at and agent.started_at > run.attempt.taken_at:
        return f"{agent.name} was started again"
    if run.attempt.seen_at and run.attempt.seen_at < since:  # type: ignore[operator]
        silent = (services.now() - run.attempt.seen_at).total_seconds()
        return f"{agent.name} was silent for {silent:.0f} s"
    return ""


def lose(uow: UnitOfWork, run: RunRow, why: str) -> None:
    """The attempt is over: its steps are stopped, its half-made build is given up and its version code burned. Whose build was
    whole by then is done: a second one would be made for nothing."""
    whole = _whole_build(uow, run)
    if whole is not None:
        _finish(uow, run, whole, why)
        return
    stop_steps(uow, run, why)
    give_up_build(uow, run)
    stopping = run.state == RunState.STOPPING
    run.attempt.lost_agents = [*run.attempt.lost_agents, run.attempt.agent_name]
    if stopping:
        transition(uow, run, RunEvent.LOSE, why=why)
        say(uow, run, f"The run was lost while it was being stopped: {why}.")
    elif run.attempt.number >= life.ATTEMPTS:
        transition(uow, run, RunEvent.FAIL, why=why)
        run.cause = cause_of(
            "agent.lost",
            agent=run.attempt.agent_name,
            detail=f"{run.attempt.number} times: {', '.join(run.attempt.lost_agents)}",
        )
        say(uow, run, f"The run was lost: {why}. It is not tried again.")
    else:
        transition(uow, run, RunEvent.LOSE, why=why)
        run.attempt.waits_for = f"Lost by {run.attempt.agent_name}; waits to be given to an agent again"
        say(uow, run, f"The run was lost: {why}. It waits for an agent again.")
    run.attempt.lease, run.attempt.step, run.attempt.progress = "", -1, None
    queue.tell(uow.session, f"run/{run.id}")
    queue.tell(uow.session, f"title/{run.title.slug}")


def _whole_build(uow: UnitOfWork, run: RunRow) -> BuildRow | None:
    if not run.order.keeps:
        return None
    rows = select(BuildRow).join(BuildOriginRow).where(BuildRow.title_id == run.title_id)
    rows = rows.where(BuildOriginRow.run == run.number, BuildRow.state == BuildState.READY)
    return uow.session.scalar(rows.order_by(BuildRow.number.desc()).limit(1))


def _finish(uow: UnitOfWork, run: RunRow, whole: BuildRow, why: str) -> None:
    stop_steps(uow, run, why)
    run.build_id = whole.id
    transition(uow, run, RunEvent.FINISH, agent=run.attempt.agent_name)
    say(uow, run, f"Its agent was lost after {whole.name} was whole ({why}): the run is done.")
    run.attempt.lease, run.attempt.step, run.attempt.progress = "", -1, None
    hand_on(uow, run)
    queue.tell(uow.session, f"run/{run.id}")
    queue.tell(uow.session, f"title/{run.title.slug}")


def hand_on(uow: UnitOfWork, run: RunRow) -> None:
    """What the run made may go to a channel or a storefront by itself."""
    if run.build_id is not None and run.order.trial is None:
        queue.put(uow.session, "place_by_itself", queue.CHANNELS, build=str(run.build_id))
        queue.put(uow.session, "submit_by_itself", queue.CHANNELS, build=str(run.build_id))


def stop_steps(uow: UnitOfWork, run: RunRow, why: str = "") -> None:
    """What the attempt was working on when it came to its end."""
    for step in uow.session.scalars(
        select(RunStepRow).where(
            RunStepRow.run_id == run.id, RunStepRow.attempt == run.attempt.number, RunStepRow.state == StepState.WORKING
        )
    ):
        step.state, step.ended_at = StepState.STOPPED, uow.now
        step.said = why[:500] or step.said


def give_up_build(uow: UnitOfWork, run: RunRow) -> None:
    """A build that the run opened and did not complete; its version code is burned."""
    opened = uow.session.scalars(
        select(BuildRow)
        .join(BuildOriginRow)
        .where(BuildRow.title_id == run.title_id, BuildOriginRow.run == run.number, BuildRow.state == BuildState.OPEN)
    )
    for build in opened:
        transition(uow, build, BuildEvent.ABANDON, burned=build.version_code)
