"""What agents ask and report: work, signs of life, steps, the end of an attempt."""

from __future__ import annotations

import time
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict
from rampa.core.run import life
from rampa.core.run.causes import cause_of
from rampa.core.run.life import RunEvent, RunState
from rampa.core.transitions import advance
from rampa.db import queue
from rampa.db.agents import AgentRow
from rampa.db.builds import BuildRow
from rampa.db.people import PersonRow
from rampa.db.runs import RunRow, RunStepRow
from rampa.operations.agents.agents import find_agent, must_be
from rampa.operations.base.context import Services
from rampa.operations.builds.builds import find_build
from rampa.operations.runs.assignment import give_up_build, lose, stop_steps
from rampa.operations.runs.logs import say
from rampa.operations.runs.lookup import held_run
from rampa.operations.sources.repository import has_source
from rampa.operations.titles.documents import find_revision
from rampa.operations.variables.variables import open_variables
from rampa.schema import agents as wire


def ask_for_work(services: Services, name: str, asked: wire.AskIn) -> wire.WorkOut:
    """A sign of life, and a run as soon as there is one; nothing after `wait` seconds. Asking twice gives the same run twice."""
    end = time.monotonic() + asked.wait
    while True:
        mark = services.db.listener.mark()
        with services.db.transaction() as session:
            agent = _seen(session, services, name, asked)
            out = _for_agent(session, services, agent, asked)
            topics = [f"agent/{agent.id}"]
        left = end - time.monotonic()
        if out.work or out.stop or out.lost or left <= 0:
            return out
        services.db.listener.wait(topics, mark, left)


def _seen(session: Session, services: Services, name: str, asked: wire.AskIn) -> AgentRow:
    agent = find_agent(session, name, lock=True)
    must_be(agent, asked.instance)
    said = asked.abilities.model_dump()
    before = {**agent.abilities, "disk": 0}
    gone = agent.stopped or (services.now() - agent.seen_at).total_seconds() > 10
    agent.seen_at, agent.stopped, agent.abilities = services.now(), False, said
    if gone or before != {**said, "disk": 0}:
        queue.put(session, "assign", queue.RUNS, lock="assign")
    return agent


def _for_agent(session: Session, services: Services, agent: AgentRow, asked: wire.AskIn) -> wire.WorkOut:
    held = list(
        session.scalars(
            select(RunRow)
            .where(RunRow.agent_id == agent.id, RunRow.state.in_(life.HELD))
            .order_by(RunRow.id)
            .with_for_update(of=RunRow)
        )
    )
    for run in held:
        if run.lease in asked.holds:
            run.seen_at = services.now()
    mine = {r.lease for r in held}
    fresh = next((r for r in held if r.lease not in asked.holds and r.state == RunState.WORKING), None)
    # A run that was cancelled before the agent ever had it: nobody works on it.
    for run in held:
        if run.state == RunState.STOPPING and run.lease not in asked.holds:
            _ended(session, services, run, RunEvent.STOP)
    return wire.WorkOut(
        work=_work(session, services, fresh) if fresh else None,
        stop=[r.lease for r in held if r.state == RunState.STOPPING and r.lease in asked.holds],
        lost=[lease for lease in asked.holds if lease not in mine],
    )


def _work(session: Session, services: Services, run: RunRow) -> wire.Work:
    run.seen_at = services.now()
    variables, secrets = open_variables(services, session, run.step_variables)
    source = has_source(session, run.title)
    return wire.Work(
        lease=run.lease,
        title=run.title.slug,
        run=run.number,
        attempt=run.attempt,
        profile=run.profile,
        revision=run.revision,
        document=find_revision(session, run.title, run.revision).text,
        commit=run.commit,
        folder=run.folder,
        ref=run.ref,
        submodules=bool(source and source.submodules),
        step_variables=run.step_variables,
        variables=variables,
        secrets=secrets,
        version_name=run.version_name,
        notes=run.note,
        started_by=run.started_by,
        native=run.native,
        reproduces=run.reproduces,
        steps=[wire.StepWire(**s) for s in run.steps],
    )


def beat(services: Services, agent: str, lease: str, asked: wire.BeatIn) -> wire.BeatOut:
    """A sign of life of one run."""
    with services.db.transaction() as session:
        run = held_run(session, agent, lease)
        run.seen_at = services.now()
        if asked.progress != run.progress:
            run.progress = asked.progress
            queue.tell(session, f"run/{run.id}")
        return wire.BeatOut(stop=run.state == RunState.STOPPING)


def report_step(services: Services, agent: str, lease: str, asked: wire.StepIn) -> wire.BeatOut:
    with services.db.transaction() as session:
        run = held_run(session, agent, lease)
        now = services.now()
        row = session.get(RunStepRow, (run.id, run.attempt, asked.position))
        if row is None:
            row = RunStepRow(
                run_id=run.id,
                attempt=run.attempt,
                position=asked.position,
                name=run.steps[asked.position]["name"],
                started_at=now,
                first_line=run.log_lines + 1,
                said="",
            )
            session.add(row)
        row.state, row.tries = asked.state, asked.tries
        row.said = asked.said or row.said
        if asked.state == "working":
            run.step, run.progress, run.spoke_at = asked.position, None, now
        else:
            row.ended_at = now
        run.seen_at = now
        queue.tell(session, f"run/{run.id}")
        queue.tell(session, f"title/{run.title.slug}")
        return wire.BeatOut(stop=run.state == RunState.STOPPING)


def end_run(services: Services, agent: str, lease: str, asked: wire.EndIn) -> None:
    """The end of an attempt, as the agent saw it. What it says of a build is checked."""
    with services.db.transaction() as session:
        run = held_run(session, agent, lease)
        if asked.build:
            build = find_build(session, run.title.slug, asked.build)
            if build.run != run.number or (asked.result == "done" and build.state != BuildState.READY):
                raise Conflict("build.other", f"{build.name} is not a finished build of this run", where="build")
            run.build_id = build.id
            _keep_durations(session, run, build)
        if asked.result == "done":
            _ended(session, services, run, RunEvent.FINISH)
        elif asked.result == "stopped" or run.state == RunState.STOPPING:
            _ended(session, services, run, RunEvent.STOP)
        else:
            cause = cause_of(asked.code or "step.failed", step=asked.step, agent=agent, detail=asked.detail)
            run.cause = {"code": cause.code, "sentence": cause.sentence[:900], "fix": cause.fix}
            _ended(session, services, run, RunEvent.FAIL)
        if RunState(run.state) != RunState.DONE or run.reproduces:
            give_up_build(session, run)


def _ended(session: Session, services: Services, run: RunRow, event: RunEvent) -> None:
    if event == RunEvent.STOP and run.state == RunState.WORKING:
        # The agent was told to stop by its own person (Ctrl-C): the run goes to another.
        lose(session, services, run, f"{run.agent_name} was stopped")
    else:
        run.state = advance(life.TRANSITIONS, RunState(run.state), event, run.name)
        run.ended_at = services.now()
        run.progress = None
        stop_steps(session, services, run)
        said = run.cause.get("sentence", "") if run.cause else ""
        say(session, run, f"The run is {run.state}{': ' + said if said else ''}.")
    queue.put(session, "assign", queue.RUNS, lock="assign")
    queue.tell(session, f"run/{run.id}")
    queue.tell(session, f"title/{run.title.slug}")


def _keep_durations(session: Session, run: RunRow, build: BuildRow) -> None:
    """How long each step took stands with the build, too."""
    steps: list[list[Any]] = []
    for row in session.scalars(
        select(RunStepRow)
        .where(RunStepRow.run_id == run.id, RunStepRow.attempt == run.attempt)
        .order_by(RunStepRow.position)
    ):
        if row.ended_at:
            steps.append([row.name, round((row.ended_at - row.started_at).total_seconds(), 3)])
    build.made_with = {**build.made_with, "steps": steps, "agent": run.agent_name}


def notify(services: Services, agent: str, lease: str) -> None:
    """A letter to whoever started the run; where a trigger did, to the studio's owners."""
    with services.db.transaction() as session:
        run = held_run(session, agent, lease)
        people = session.scalars(select(PersonRow).where(PersonRow.name == run.started_by)).all()
        people = people or session.scalars(select(PersonRow).where(PersonRow.role == "owner")).all()
        failed = [r.name for r in session.scalars(
            select(RunStepRow).where(RunStepRow.run_id == run.id, RunStepRow.attempt == run.attempt, RunStepRow.state == "failed")
        )]  # fmt: skip
        how = f"failed in the step {failed[0]}" if failed else "went well so far"
        for person in people:
            queue.put(
                session,
                "send_letter",
                queue.MAIL,
                to=person.email,
                subject=f"{run.name}, {run.profile}: {how}",
                text=f"{run.name} of {run.profile} at {run.commit[:10] or f'folder {run.folder}'} {how}.\n",
            )
