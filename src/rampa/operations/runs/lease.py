"""What agents ask and report: work, signs of life, steps, the end of an attempt."""

from __future__ import annotations

import time
from dataclasses import replace

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict
from rampa.core.run import life
from rampa.core.run.causes import cause_of
from rampa.core.run.life import AttemptResult, RunEvent, RunState, StepState
from rampa.db import (
    AgentRow,
    BuildRow,
    PersonRow,
    RunAttemptRow,
    RunRow,
    RunStepRow,
    find_agent,
    find_build,
    find_revision,
    has_source,
    held_run,
    locked,
    queue,
)
from rampa.operations.agents.agents import abilities_in, must_be, must_start
from rampa.operations.base import Actor, Services, UnitOfWork, begin, service_actor, transition
from rampa.operations.runs.assignment import give_up_build, hand_on, lose, stop_steps
from rampa.operations.runs.logs import say
from rampa.operations.variables.variables import open_variables
from rampa.schema import agents as wire


def ask_for_work(services: Services, actor: Actor, asked: wire.AskIn) -> wire.WorkOut:
    """A sign of life, and a run as soon as there is one; nothing after `wait` seconds. Asking twice gives the same run twice."""
    must_start(actor, asked.instance)
    end = time.monotonic() + asked.wait
    while True:
        # Marked before looking: what is told between the look and the wait must not be missed.
        mark = services.db.listener.mark()
        with begin(services, actor) as uow:
            agent = _seen(uow, asked)
            out = _for_agent(uow, agent, asked)
            topics = [f"agent/{agent.id}"]
        left = end - time.monotonic()
        if out.work or out.stop or out.lost or left <= 0:
            return out
        # The transaction is over before it waits: a waiting question holds no connection, however many agents ask.
        services.db.listener.wait(topics, mark, left)


def _seen(uow: UnitOfWork, asked: wire.AskIn) -> AgentRow:
    agent = find_agent(uow.session, uow.actor.agent, lock=True)
    must_be(agent, asked.instance)
    said = abilities_in(asked.abilities)
    # Free space changes with every question, and is no reason to look again for what the agent could do.
    before = replace(agent.abilities, disk=0)
    gone = agent.stopped or (uow.now - agent.seen_at).total_seconds() > 10
    agent.seen_at, agent.stopped, agent.abilities = uow.now, False, said
    if gone or before != replace(said, disk=0):
        queue.put(uow.session, "assign", queue.RUNS, lock="assign")
    return agent


def _for_agent(uow: UnitOfWork, agent: AgentRow, asked: wire.AskIn) -> wire.WorkOut:
    held = locked(
        uow.session,
        select(RunRow)
        .join(RunAttemptRow)
        .where(RunAttemptRow.agent_id == agent.id, RunRow.state.in_(life.HELD))
        .order_by(RunRow.id),
    )
    for run in held:
        if run.attempt.lease in asked.holds:
            run.attempt.seen_at = uow.now
    mine = {r.attempt.lease for r in held}
    # An answer that got lost on the way: the agent does not know of a run that is its own, so it is given once more.
    fresh = next((r for r in held if r.attempt.lease not in asked.holds and r.state == RunState.WORKING), None)
    # A run that was cancelled before the agent ever had it: nobody works on it.
    for run in held:
        if run.state == RunState.STOPPING and run.attempt.lease not in asked.holds:
            _ended(uow, run, RunEvent.STOP)
    return wire.WorkOut(
        work=_work(uow, fresh) if fresh else None,
        stop=[r.attempt.lease for r in held if r.state == RunState.STOPPING and r.attempt.lease in asked.holds],
        lost=[lease for lease in asked.holds if lease not in mine],
    )


def _work(uow: UnitOfWork, run: RunRow) -> wire.Work:
    run.attempt.seen_at = uow.now
    variables, secrets = open_variables(uow, run.order.step_variables)
    source = has_source(uow.session, run.title)
    return wire.Work(
        lease=run.attempt.lease,
        title=run.title.slug,
        run=run.number,
        attempt=run.attempt.number,
        profile=run.profile,
        revision=run.revision,
        document=find_revision(uow.session, run.title, run.revision).text,
        commit=run.order.commit,
        folder=run.order.folder,
        ref=run.order.ref,
        submodules=bool(source and source.submodules),
        step_variables=run.order.step_variables,
        variables=variables,
        secrets={n: v for n, v in secrets.items() if any(n in step.secrets for step in run.order.steps)},
        version_name=run.order.version_name,
        notes=run.note,
        started_by=run.started_by,
        native=run.order.native,
        reproduces=run.order.reproduces,
        expected_bare=_expected_bare(uow, run),
        trial=run.order.trial,
        steps=list(run.order.steps),
    )


def _expected_bare(uow: UnitOfWork, run: RunRow) -> str:
    """What a build that is made again must come to: an agent reads no builds but those that it makes."""
    if not run.order.reproduces:
        return ""
    bundle = find_build(uow.session, run.title.slug, run.order.reproduces).bundle
    return bundle.bare if bundle else ""


def beat(services: Services, agent: str, lease: str, asked: wire.BeatIn) -> wire.BeatOut:
    """A sign of life of one run."""
    with begin(services) as uow:
        run = held_run(uow.session, agent, lease)
        run.attempt.seen_at = services.now()
        if asked.progress != run.attempt.progress:
            run.attempt.progress = asked.progress
            queue.tell(uow.session, f"run/{run.id}")
        return wire.BeatOut(stop=run.state == RunState.STOPPING)


def report_step(services: Services, agent: str, lease: str, asked: wire.StepIn) -> wire.BeatOut:
    with begin(services) as uow:
        run = held_run(uow.session, agent, lease)
        now = services.now()
        row = uow.session.get(RunStepRow, (run.id, run.attempt.number, asked.position))
        if row is None:
            row = RunStepRow(
                run_id=run.id,
                attempt=run.attempt.number,
                position=asked.position,
                name=run.order.steps[asked.position].name,
                started_at=now,
                first_line=run.log.lines + 1,
                said="",
            )
            uow.session.add(row)
        row.state, row.tries = asked.state, asked.tries
        row.said = asked.said or row.said
        if asked.state == StepState.WORKING:
            run.attempt.step, run.attempt.progress, run.attempt.spoke_at = asked.position, None, now
        else:
            row.ended_at = now
        run.attempt.seen_at = now
        queue.tell(uow.session, f"run/{run.id}")
        queue.tell(uow.session, f"title/{run.title.slug}")
        return wire.BeatOut(stop=run.state == RunState.STOPPING)


def end_run(services: Services, agent: str, lease: str, asked: wire.EndIn) -> None:
    """The end of an attempt, as the agent saw it. What it says of a build is checked."""
    with begin(services, service_actor(f"agent {agent}")) as uow:
        run = held_run(uow.session, agent, lease)
        if asked.build:
            build = find_build(uow.session, run.title.slug, asked.build)
            # An agent says which build it made; only one of this very run counts.
            if build.made.run != run.number or (asked.result == AttemptResult.DONE and build.state != BuildState.READY):
                raise Conflict("build.other", f"{build.name} is not a finished build of this run", where="build")
            run.build_id = build.id
            _keep_durations(uow, run, build)
        if asked.result == AttemptResult.DONE:
            _ended(uow, run, RunEvent.FINISH)
        elif asked.result == AttemptResult.STOPPED or run.state == RunState.STOPPING:
            _ended(uow, run, RunEvent.STOP)
        else:
            run.cause = cause_of(asked.code or "step.failed", step=asked.step, agent=agent, detail=asked.detail)
            _ended(uow, run, RunEvent.FAIL)
        run.measured = asked.measured
        if run.state != RunState.DONE or not run.order.keeps:
            give_up_build(uow, run)
        else:
            hand_on(uow, run)


def _ended(uow: UnitOfWork, run: RunRow, event: RunEvent) -> None:
    if event == RunEvent.STOP and run.state == RunState.WORKING:
        # The agent was told to stop by its own person (Ctrl-C): the run goes to another.
        lose(uow, run, f"{run.attempt.agent_name} was stopped")
    else:
        transition(uow, run, event, agent=run.attempt.agent_name)
        run.attempt.progress = None
        stop_steps(uow, run)
        said = run.cause.sentence if run.cause else ""
        say(uow, run, f"The run is {run.state}{': ' + said if said else ''}.")
    queue.put(uow.session, "assign", queue.RUNS, lock="assign")
    if run.order.trial:
        queue.put(uow.session, "go_on_bisecting", queue.RUNS, lock="bisect")
    queue.tell(uow.session, f"run/{run.id}")
    queue.tell(uow.session, f"title/{run.title.slug}")


def _keep_durations(uow: UnitOfWork, run: RunRow, build: BuildRow) -> None:
    """How long each step took stands with the build, too."""
    steps: list[tuple[str, float]] = []
    for row in uow.session.scalars(
        select(RunStepRow)
        .where(RunStepRow.run_id == run.id, RunStepRow.attempt == run.attempt.number)
        .order_by(RunStepRow.position)
    ):
        if row.ended_at:
            steps.append((row.name, round((row.ended_at - row.started_at).total_seconds(), 3)))
    build.made.record = replace(build.made.record, steps=tuple(steps), agent=run.attempt.agent_name)


def notify(services: Services, agent: str, lease: str) -> None:
    """A letter to whoever started the run; where a trigger did, to the studio's owners."""
    with begin(services) as uow:
        run = held_run(uow.session, agent, lease)
        people = uow.session.scalars(select(PersonRow).where(PersonRow.name == run.started_by)).all()
        people = people or uow.session.scalars(select(PersonRow).where(PersonRow.role == "owner")).all()
        steps = select(RunStepRow.name).where(RunStepRow.run_id == run.id, RunStepRow.state == StepState.FAILED)
        failed = list(uow.session.scalars(steps.where(RunStepRow.attempt == run.attempt.number)))
        how = f"failed in the step {failed[0]}" if failed else "went well so far"
        for person in people:
            queue.put(
                uow.session,
                "send_letter",
                queue.MAIL,
                to=person.email,
                subject=f"{run.name}, {run.profile}: {how}",
                text=f"{run.name} of {run.profile} at {run.order.commit[:10] or f'folder {run.order.folder}'} {how}.\n",
            )
