"""Starting runs: by hand, by a trigger, again. Older ones of the same trigger that still wait are superseded."""

from __future__ import annotations

import secrets
from dataclasses import asdict, dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, Refused
from rampa.core.run import life
from rampa.core.run.abilities import wanted_of
from rampa.core.run.life import RunEvent, RunState
from rampa.core.run.steps import Step
from rampa.core.transitions import advance
from rampa.db import queue
from rampa.db.runs import RunRow
from rampa.db.titles import TitleRow
from rampa.operations.base import audit
from rampa.operations.base.context import Actor, Services
from rampa.operations.base.idempotency import Once, once
from rampa.operations.builds.builds import find_build
from rampa.operations.runs.lookup import find_run
from rampa.operations.runs.plan import Prepared, prepare, step_out
from rampa.operations.runs.views import summary
from rampa.operations.titles.titles import find_title
from rampa.schema import runs as wire


@dataclass(frozen=True)
class Why:
    """`kind` is manual, trigger, schedule, call or repeat; `trigger` the trigger's name."""

    kind: str = "manual"
    trigger: str = ""


def start_runs(
    services: Services, actor: Actor, slug: str, asked: wire.NewRuns, key: Once | None, why: Why = Why()
) -> wire.RunList:
    """All of them or none: where one profile cannot be built, it is said and nothing starts."""

    def make() -> wire.RunList:
        return wire.RunList(items=[summary(services, r) for r in start_in(session, services, actor, slug, asked, why)])

    with services.db.transaction() as session:
        return once(session, services, actor, key, wire.RunList, make)


def start_in(
    session: Session, services: Services, actor: Actor, slug: str, asked: wire.NewRuns, why: Why
) -> list[RunRow]:
    """In the caller's transaction."""
    title = find_title(session, slug, lock=True)
    if asked.reproduces:
        asked = _of_build(session, slug, asked.reproduces)
    prepared = prepare(services, session, title, asked)
    _must_start(prepared)
    together = secrets.token_hex(8)
    runs = [_add(session, services, actor, p, asked, why, together) for p in prepared]
    session.flush()
    if why.trigger:
        for run in runs:
            _supersede(session, services, run)
    detail = {"runs": [r.number for r in runs], "profiles": [r.profile for r in runs], "commit": runs[0].commit[:12]}
    audit.record(session, services, actor, "run.start", f"{slug} run {runs[0].number}", slug, why=why.kind, **detail)
    queue.put(session, "assign", queue.RUNS, lock="assign")
    queue.tell(session, f"title/{slug}")
    return runs


def _of_build(session: Session, slug: str, number: int) -> wire.NewRuns:
    """What made a build, to be done again: its commit or folder, profile and version name."""
    build = find_build(session, slug, number)
    if build.bundle is None or not build.bundle.bare:
        raise Conflict("build.no-bundle", f"{build.name} has no bundle to compare with")
    if build.revision != build.title.revision:
        hint = "Only what is made by today's profile document can be made again the same."
        raise Conflict(
            "reproduce.revision", f"{build.name} was made by revision {build.revision} of the document", hint=hint
        )
    run = find_run(session, slug, build.run) if build.run else None
    if run is None:
        raise Conflict("reproduce.by-hand", f"{build.name} was made by hand: there is no commit to build again")
    return wire.NewRuns(
        profiles=[build.profile],
        of=run.commit,
        folder=run.folder or None,
        step_variables=run.step_variables,
        version_name=build.version_name,
        note=f"Makes {build.name} again, to compare.",
        reproduces=number,
    )


def _until_bundle(steps: list[Step]) -> list[Step]:
    names = [s.name for s in steps]
    return steps[: names.index("bundle") + 1] if "bundle" in names else steps


def _must_start(prepared: list[Prepared]) -> None:
    stopped = [p for p in prepared if p.stops]
    if stopped:
        lines = "".join(f"\n  {p.profile.name}: {said}" for p in stopped for said in p.stops)
        raise Refused(
            "run.blocked", f"no run starts: {len(stopped)} of {len(prepared)} profiles cannot be built{lines}"
        )


def _add(
    session: Session, services: Services, actor: Actor, p: Prepared, asked: wire.NewRuns, why: Why, together: str
) -> RunRow:
    title: TitleRow = p.title
    title.last_run += 1
    run = RunRow(
        title=title,
        title_id=title.id,
        number=title.last_run,
        together=together,
        profile=p.profile.name,
        platform=p.profile.get("platform"),
        purpose=p.profile.get("purpose"),
        revision=title.revision,
        commit=p.origin.commit,
        subject=p.origin.subject,
        ref=p.origin.ref,
        folder=p.origin.folder,
        step_variables=p.step_variables,
        version_name=asked.version_name,
        note=asked.note,
        state=RunState.WAITING,
        why=why.kind,
        trigger=why.trigger,
        started_by=actor.name,
        created_at=services.now(),
        steps=[step_out(s).model_dump() for s in (_until_bundle(p.steps) if asked.reproduces else p.steps)],
        reproduces=asked.reproduces or 0,
        wanted=asdict(wanted_of(p.profile)),
        native=p.native,
        identity=p.identity,
        commits=p.origin.commits,
        expected=dict(p.expected.steps),
        waits_for="Waits to be given to an agent",
        **NOTHING_YET,
    )
    session.add(run)
    return run


NOTHING_YET = {
    "attempt": 0,
    "step": -1,
    "agent_name": "",
    "lease": "",
    "nearest": "",
    "superseded_by": 0,
    "log_lines": 0,
    "log_batch": 0,
    "errors": 0,
    "warnings": 0,
    "first_error": 0,
    "cause": {},
    "lost_agents": [],
}


def _supersede(session: Session, services: Services, newest: RunRow) -> None:
    """The newest commit wins: what the same trigger started for the same profile and branch, and waits still, gives way."""
    rows = select(RunRow).where(
        RunRow.title_id == newest.title_id,
        RunRow.profile == newest.profile,
        RunRow.trigger == newest.trigger,
        RunRow.ref == newest.ref,
        RunRow.state == RunState.WAITING,
        RunRow.number < newest.number,
    )
    for older in session.scalars(rows.with_for_update(of=RunRow)):
        older.state = advance(life.TRANSITIONS, RunState(older.state), RunEvent.SUPERSEDE, older.name)
        older.superseded_by, older.ended_at, older.waits_for = newest.number, services.now(), ""
        queue.tell(session, f"run/{older.id}")


def repeat_run(services: Services, actor: Actor, slug: str, number: int, key: Once | None) -> wire.RunList:
    """A new run of what an ended one was: the same commit, profile and step variables, today's profile document."""

    def make() -> wire.RunList:
        old = find_run(session, slug, number)
        if RunState(old.state) not in life.ENDED:
            raise Conflict("run.open", f"{old.name} is {old.state}", hint="Cancel it first, or wait for its end.")
        asked = wire.NewRuns(
            profiles=[old.profile],
            of=old.commit,
            folder=old.folder or None,
            step_variables=old.step_variables,
            version_name=old.version_name,
            note=old.note,
        )
        started = start_in(session, services, actor, slug, asked, Why("repeat"))
        started[0].ref = old.ref
        return wire.RunList(items=[summary(services, r) for r in started])

    with services.db.transaction() as session:
        return once(session, services, actor, key, wire.RunList, make)
