"""Runs as people watch them: lists, the queue, cancelling, streams of what changes."""

from __future__ import annotations

import time
from collections.abc import Iterator

from sqlalchemy import or_, select
from sqlalchemy.orm import contains_eager

from rampa.core.run import life
from rampa.core.run.life import RunEvent, RunState
from rampa.db import AgentRow, RunOrderRow, RunRow, find_run, find_title, queue
from rampa.operations.agents.agents import agent_state
from rampa.operations.base import Actor, Services, UnitOfWork, begin, cursor_numbers, page_of, transition
from rampa.operations.people.membership import still_in
from rampa.operations.people.people import access_topic
from rampa.operations.runs.logs import read_rows, say
from rampa.operations.runs.views import describe, summaries
from rampa.schema import runs as wire
from rampa.schema.common import Page

STREAM_SECONDS = 280
"""A stream ends before the server's patience does; whoever watches connects again, from where it was."""
ALIVE = 10
STREAM_ROWS = 4000


def list_runs(services: Services, slug: str, query: wire.RunQuery) -> Page[wire.RunSummary]:
    with begin(services) as uow:
        rows = select(RunRow).join(RunRow.order).options(contains_eager(RunRow.order))
        rows = rows.where(RunRow.title_id == find_title(uow.session, slug).id)
        if query.state == life.NOT_ENDED:
            rows = rows.where(RunRow.state.in_(life.OPEN))
        elif query.state:
            rows = rows.where(RunRow.state == query.state)
        for column, value in ((RunRow.profile, query.profile), (RunRow.why, query.why), (RunOrderRow.ref, query.ref)):
            if value:
                rows = rows.where(column == value)
        if query.search:
            in_note = RunRow.note.icontains(query.search, autoescape=True)
            rows = rows.where(or_(in_note, RunOrderRow.commit.startswith(query.search.lower(), autoescape=True)))
        if query.cursor:
            rows = rows.where(RunRow.number < cursor_numbers(query.cursor, 1)[0])
        found = list(uow.session.scalars(rows.order_by(RunRow.number.desc()).limit(query.limit + 1)))
        shown = {r.number: s for r, s in zip(found, summaries(uow, found), strict=True)}
        return page_of(Page[wire.RunSummary], found, query.limit, lambda r: shown[r.number], lambda r: str(r.number))


def get_run(services: Services, actor: Actor, slug: str, number: int) -> wire.Run:
    with begin(services, actor) as uow:
        return describe(uow, find_run(uow.session, slug, number))


def get_queue(services: Services) -> wire.Queue:
    """All titles' runs that are not ended: those worked on, then those that wait, in their order."""
    with begin(services) as uow:
        runs = list(uow.session.scalars(select(RunRow).where(RunRow.state.in_(life.OPEN)).order_by(RunRow.id)))
        runs.sort(key=lambda r: (r.state == RunState.WAITING, r.id))
        items, place = [], 0
        for run, out in zip(runs, summaries(uow, runs), strict=True):
            place += run.state == RunState.WAITING
            at = place if run.state == RunState.WAITING else 0
            items.append(wire.QueueItem(title=run.title.slug, run=out, place=at))
        agents = []
        for a in uow.session.scalars(select(AgentRow).order_by(AgentRow.name)):
            busy = sum(r.attempt.agent_id == a.id and r.state != RunState.WAITING for r in runs)
            agents.append(
                wire.QueueAgent(name=a.name, state=agent_state(services, a, busy), at_once=a.at_once, busy=busy)
            )
        return wire.Queue(items=items, agents=agents, at=services.now())


def cancel_run(services: Services, actor: Actor, slug: str, number: int) -> wire.Run:
    """A waiting run is cancelled at once; one that is worked on is stopped by its agent. Doing it twice is no error."""
    with begin(services, actor) as uow:
        return describe(uow, cancel_in(uow, find_run(uow.session, slug, number, lock=True)))


def cancel_in(uow: UnitOfWork, run: RunRow) -> RunRow:
    """In the caller's transaction, which has it locked."""
    if run.state not in (RunState.STOPPING, RunState.CANCELLED):
        transition(uow, run, RunEvent.CANCEL, step=run.attempt.step)
        run.attempt.waits_for = ""
        say(uow, run, f"Cancelled by {uow.actor.name}.")
        for what in (f"agent/{run.attempt.agent_id}", f"run/{run.id}", f"title/{run.title.slug}"):
            queue.tell(uow.session, what)
    return run


def run_stream(services: Services, actor: Actor, slug: str, number: int, after: int) -> Iterator[tuple[str, int, str]]:
    """(event, id, JSON): `lines` from line `after` + 1 on as they come, `run` whenever it changes, `end` at its end.

    Each id is the number of the last line that was sent, so that whoever comes back says where it was.
    """
    end, told, sent = time.monotonic() + STREAM_SECONDS, 0.0, after
    last = ""
    access = access_topic(actor.principal)
    while time.monotonic() < end:
        mark = services.db.listener.mark()
        with begin(services, actor) as uow:
            if not still_in(uow):
                return
            run = find_run(uow.session, slug, number)
            topic = f"run/{run.id}"
            rows = read_rows(uow, run, sent + 1, STREAM_ROWS) if run.log.lines > sent else []
            lines = wire.LogOut(start=sent + 1, lines=run.log.lines, rows=rows, ended=False).model_dump_json()
            ended = run.state in life.ENDED and run.log.lines <= sent + len(rows)
            due = ended or not rows or time.monotonic() - told > 1
            state = describe(uow, run) if due else None
        if rows:
            sent += len(rows)
            yield "lines", sent, lines
        if state is not None:
            told, key = time.monotonic(), _key(state)
            if key != last or ended:
                last = key
                yield "run", sent, state.model_dump_json()
        if ended:
            yield "end", sent, "{}"
            return
        if not rows and not services.db.listener.wait([topic, access], mark, ALIVE):
            yield "", sent, ""


def _key(run: wire.Run) -> str:
    """What of a run a watcher must be told of; seconds that pass are counted by the watcher itself."""
    passing = {"seconds", "step_seconds", "left", "silent", "attempts", "tail"}
    steps = [(s.name, s.state, s.tries, s.said) for a in run.attempts for s in a.steps]
    return run.model_dump_json(exclude=passing) + str(steps) + str(run.silent > 0)


def title_stream(services: Services, actor: Actor, slug: str) -> Iterator[tuple[str, int, str]]:
    """`runs` with the open runs of a title, whenever one of them moves; at least every ten seconds a sign of life."""
    end, number = time.monotonic() + STREAM_SECONDS, 0
    while time.monotonic() < end:
        mark = services.db.listener.mark()
        with begin(services, actor) as uow:
            if not still_in(uow):
                return
            shown = wire.RunList(items=_recent(uow, slug))
        number += 1
        yield "runs", number, shown.model_dump_json()
        waited = time.monotonic()
        while not services.db.listener.wait([f"title/{slug}", access_topic(actor.principal)], mark, ALIVE):
            if time.monotonic() - waited > ALIVE:
                break
        time.sleep(0.1)  # a burst of changes is told once


def _recent(uow: UnitOfWork, slug: str) -> list[wire.RunSummary]:
    """What is open, and the latest that ended."""
    title = find_title(uow.session, slug)
    rows = select(RunRow).where(RunRow.title_id == title.id)
    found = list(uow.session.scalars(rows.where(RunRow.state.in_(life.OPEN)).order_by(RunRow.number.desc()).limit(200)))
    ended = rows.where(RunRow.state.not_in(life.OPEN)).order_by(RunRow.number.desc()).limit(20)
    return summaries(uow, [*found, *uow.session.scalars(ended)])
