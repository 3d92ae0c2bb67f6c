"""Starting runs: by hand, by a trigger, again. Older ones of the same trigger that still wait are superseded."""

from __future__ import annotations

import secrets
from dataclasses import dataclass

from sqlalchemy import select

from rampa.core.errors import Conflict, Refused
from rampa.core.run import life
from rampa.core.run.abilities import wanted_of
from rampa.core.run.bisect import Trial
from rampa.core.run.life import RunEvent, RunState
from rampa.core.run.step import Step
from rampa.db import (
    RunAttemptRow,
    RunLogRow,
    RunOrderRow,
    RunRow,
    TitleRow,
    find_build,
    find_run,
    find_title,
    locked,
    queue,
)
from rampa.operations.base import Actor, Once, Services, UnitOfWork, audit, begin, once, transition
from rampa.operations.runs.prepared import Prepared, prepare
from rampa.operations.runs.views import summary
from rampa.schema import runs as wire


@dataclass(frozen=True)
class Why:
    """`kind` is manual, trigger, schedule, call, repeat or bisect; `trigger` the trigger's name; what a commit is tried for."""

    kind: str = "manual"
    trigger: str = ""
    trial: Trial | None = None


def start_runs(
    services: Services, actor: Actor, slug: str, asked: wire.NewRuns, key: Once | None, why: Why = Why()
) -> wire.RunList:
    """All of them or none: where one profile cannot be built, it is said and nothing starts."""

    def make() -> wire.RunList:
        return wire.RunList(items=[summary(services, r) for r in start_in(uow, slug, asked, why)])

    with begin(services, actor) as uow:
        return once(uow, key, wire.RunList, make)


def start_in(uow: UnitOfWork, slug: str, asked: wire.NewRuns, why: Why) -> list[RunRow]:
    """In the caller's transaction."""
    # Locked: runs are numbered by the title, and two starts at one moment must not get the same number.
    title = find_title(uow.session, slug, lock=True)
    if asked.reproduces:
        asked = _of_build(uow, slug, asked.reproduces)
    prepared = prepare(uow, title, asked, keeps=not asked.reproduces and (why.trial is None or why.trial.keeps))
    # All or none: some platforms of a release, without the others, would be taken for the release.
    _must_start(prepared)
    together = secrets.token_hex(8)
    runs = [_add(uow, p, asked, why, together) for p in prepared]
    uow.session.flush()
    if why.trigger:
        for run in runs:
            _supersede(uow, run)
    detail = {
        "runs": [r.number for r in runs],
        "profiles": [r.profile for r in runs],
        "commit": runs[0].order.commit[:12],
    }
    audit.record(uow, "run.start", f"{slug} run {runs[0].number}", slug, why=why.kind, **detail)
    queue.put(uow.session, "assign", queue.RUNS, lock="assign")
    queue.tell(uow.session, f"title/{slug}")
    return runs


def _of_build(uow: UnitOfWork, slug: str, number: int) -> wire.NewRuns:
    """What made a build, to be done again: its commit or folder, profile and version name."""
    build = find_build(uow.session, slug, number)
    if build.bundle is None or not build.bundle.bare:
        raise Conflict("build.no-bundle", f"{build.name} has no bundle to compare with")
    if build.revision != build.title.revision:
        hint = "Only what is made by today's profile document can be made again the same."
        raise Conflict(
            "reproduce.revision", f"{build.name} was made by revision {build.revision} of the document", hint=hint
        )
    run = find_run(uow.session, slug, build.made.run) if build.made.run else None
    if run is None:
        raise Conflict("reproduce.by-hand", f"{build.name} was made by hand: there is no commit to build again")
    return wire.NewRuns(
        profiles=[build.profile],
        of=run.order.commit,
        folder=run.order.folder or None,
        step_variables=run.order.step_variables,
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


def _add(uow: UnitOfWork, p: Prepared, asked: wire.NewRuns, why: Why, together: str) -> RunRow:
    title: TitleRow = p.title
    title.last_run += 1
    steps = p.steps if p.keeps else _until_bundle(p.steps)
    run = RunRow(
        title=title,
        number=title.last_run,
        together=together,
        profile=p.profile.name,
        platform=p.profile.settings.platform,
        purpose=p.profile.settings.purpose,
        revision=title.revision,
        note=asked.note,
        state=RunState.WAITING,
        why=why.kind,
        trigger=why.trigger,
        started_by=uow.actor.name,
        created_at=uow.now,
        order=RunOrderRow(
            commit=p.origin.commit,
            subject=p.origin.subject,
            ref=p.origin.ref,
            folder=p.origin.folder,
            commits=p.origin.commits,
            step_variables=p.step_variables,
            version_name=asked.version_name,
            identity=p.identity,
            reproduces=asked.reproduces or 0,
            trial=why.trial,
            native=p.native,
            steps=steps,
            wanted=wanted_of(p.profile),
            expected=dict(p.expected.steps),
        ),
        attempt=RunAttemptRow(waits_for="Waits to be given to an agent"),
        log=RunLogRow(),
    )
    uow.session.add(run)
    return run


def _supersede(uow: UnitOfWork, newest: RunRow) -> None:
    """The newest commit wins: what the same trigger started for the same profile and branch, and waits still, gives way."""
    rows = (
        select(RunRow)
        .join(RunOrderRow)
        .where(
            RunRow.title_id == newest.title_id,
            RunRow.profile == newest.profile,
            RunRow.trigger == newest.trigger,
            RunOrderRow.ref == newest.order.ref,
            RunRow.state == RunState.WAITING,
            # Older ones only: two starts at one moment must not give way to each other.
            RunRow.number < newest.number,
        )
    )
    for older in locked(uow.session, rows):
        transition(uow, older, RunEvent.SUPERSEDE, by=newest.number)
        older.superseded_by, older.attempt.waits_for = newest.number, ""
        queue.tell(uow.session, f"run/{older.id}")


def repeat_run(services: Services, actor: Actor, slug: str, number: int, key: Once | None) -> wire.RunList:
    """A new run of what an ended one was: the same commit, profile and step variables, today's profile document."""

    def make() -> wire.RunList:
        old = find_run(uow.session, slug, number)
        if old.state not in life.ENDED:
            raise Conflict("run.open", f"{old.name} is {old.state}", hint="Cancel it first, or wait for its end.")
        asked = wire.NewRuns(
            profiles=[old.profile],
            of=old.order.commit,
            folder=old.order.folder or None,
            step_variables=old.order.step_variables,
            version_name=old.order.version_name,
            note=old.note,
        )
        started = start_in(uow, slug, asked, Why("repeat"))
        # It was asked for by its commit, which has no branch; it belongs to the old one's.
        started[0].order.ref = old.order.ref
        return wire.RunList(items=[summary(services, r) for r in started])

    with begin(services, actor) as uow:
        return once(uow, key, wire.RunList, make)
