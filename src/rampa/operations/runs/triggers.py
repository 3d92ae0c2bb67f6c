"""Triggers: what starts runs by itself, and starting them: after a fetch, at their time, by a signed call."""

from __future__ import annotations

import datetime as dt
import os

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.errors import Conflict, Denied, Invalid, NotFound, RampaError
from rampa.core.patterns import pattern_problem
from rampa.core.run.triggers import (
    CALL_AGE,
    check_call,
    matching,
    new_secret,
    next_time,
    schedule_problem,
    secret_bytes,
    touches,
)
from rampa.core.signing.seal import seal, unseal
from rampa.db import CallSeenRow, SourceRow, TriggerRow, find_source, find_title, first_of, load_document, locked, queue
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.runs.start import Why, start_in
from rampa.operations.sources.commits import open_mirror
from rampa.operations.sources.repository import fetch, mirror_of
from rampa.schema import sources as wire
from rampa.schema.runs import NewRuns
from rampa.store.mirror import Mirror

FIRST = ""
"""The commit before a branch's first."""


def add_trigger(services: Services, actor: Actor, slug: str, asked: wire.NewTrigger) -> wire.TriggerOut:
    """The secret of a trigger by call is in this answer and never again."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        _check(uow, slug, asked)
        if uow.session.scalar(
            select(TriggerRow.id).where(TriggerRow.title_id == title.id, TriggerRow.name == asked.name)
        ):
            raise Conflict("trigger.exists", f"{slug} has a trigger {asked.name!r} already", where="name")
        row = TriggerRow(
            title=title, title_id=title.id, name=asked.name, created_at=services.now(), created_by=actor.name
        )
        row.last_said = ""
        uow.session.add(row)
        secret = _fill(uow, row, asked)
        audit.record(uow, "trigger.add", f"{slug} {asked.name}", slug, kind=asked.kind)
        return _out(row, secret)


def change_trigger(services: Services, actor: Actor, slug: str, name: str, asked: wire.TriggerIn) -> wire.TriggerOut:
    with begin(services, actor) as uow:
        row = find_trigger(uow, slug, name)
        _check(uow, slug, asked)
        secret = _fill(uow, row, asked)
        audit.record(uow, "trigger.change", f"{slug} {name}", slug, kind=asked.kind)
        return _out(row, secret)


def _fill(uow: UnitOfWork, row: TriggerRow, asked: wire.TriggerIn) -> str:
    row.kind, row.pattern, row.schedule, row.active = asked.kind, asked.pattern, asked.schedule, asked.active
    row.paths, row.profiles, row.place = list(asked.paths), list(asked.profiles), asked.place
    row.next_at = next_time(asked.schedule, uow.now) if asked.kind == "schedule" else None
    uow.session.flush()
    if asked.kind != "call":
        row.sealed = None
        return ""
    if row.sealed is not None:
        return ""
    secret = new_secret(os.urandom(32))
    row.sealed = seal(secret.encode(), uow.services.master_key, f"trigger:{row.id}", uow.services.random)
    return secret


def _check(uow: UnitOfWork, slug: str, asked: wire.TriggerIn) -> None:
    find_source(uow.session, slug)
    if asked.kind == "schedule":
        problem = schedule_problem(asked.schedule)
        if problem:
            raise Invalid("trigger.schedule", f"{asked.schedule!r} cannot be used: {problem}", where="schedule")
    elif not asked.pattern:
        raise Invalid("trigger.pattern", "the pattern is empty", where="pattern", hint="* matches all.")
    for path in asked.paths:
        problem = pattern_problem(path)
        if problem:
            raise Invalid("trigger.paths", f"{path[:80]!r} cannot be used: {problem}", where="paths")
    document = load_document(uow.session, find_title(uow.session, slug))
    for name in asked.profiles:
        document.profile(name)


def find_trigger(uow: UnitOfWork, slug: str, name: str) -> TriggerRow:
    title = find_title(uow.session, slug)
    rows = select(TriggerRow).where(TriggerRow.title_id == title.id, TriggerRow.name == name)
    row = first_of(uow.session, rows, lock=True)
    if row is None:
        raise NotFound("trigger.unknown", f"{slug} has no trigger {name!r}", where="trigger")
    return row


def list_triggers(services: Services, slug: str) -> list[wire.TriggerOut]:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = uow.session.scalars(select(TriggerRow).where(TriggerRow.title_id == title.id).order_by(TriggerRow.name))
        return [_out(r) for r in rows]


def remove_trigger(services: Services, actor: Actor, slug: str, name: str) -> None:
    with begin(services, actor) as uow:
        uow.session.delete(find_trigger(uow, slug, name))
        audit.record(uow, "trigger.remove", f"{slug} {name}", slug)


def after_fetch(services: Services, slug: str) -> list[int]:
    """Starts what the branches and tags that moved since the last look ask for. The first look starts nothing."""
    row, mirror = open_mirror(services, slug)
    now_at = {f"{r.kind}/{r.name}": r.commit.commit for r in mirror.refs()}
    with begin(services) as uow:
        # Two looks at once would start everything twice: the row is locked, and what was seen is written with what it started.
        source = first_of(uow.session, select(SourceRow).where(SourceRow.id == row.id), lock=True)
        assert source is not None
        before = dict(source.heads)
        source.heads = now_at
        # All branches would count as moved: connecting a repository must not start a run for each.
        if not before:
            return []
        moved = {ref: (before.get(ref, FIRST), commit) for ref, commit in now_at.items() if before.get(ref) != commit}
        started: list[int] = []
        triggers = uow.session.scalars(
            select(TriggerRow).where(
                TriggerRow.title_id == row.title_id, TriggerRow.kind.in_(("branch", "tag")), TriggerRow.active
            )
        )
        for trigger in list(triggers) if moved else []:
            for ref, (was, commit) in moved.items():
                kind, _, name = ref.partition("/")
                if kind == trigger.kind and matching(trigger.pattern, [name]):
                    started += _start_if_touched(uow, trigger, mirror, ref, was, commit)
        return started


def _start_if_touched(
    uow: UnitOfWork, trigger: TriggerRow, mirror: Mirror, ref: str, was: str, commit: str
) -> list[int]:
    if was and mirror.has(was) and not touches(trigger.paths, mirror.changed(was, commit)):
        trigger.last_said = f"{ref} moved to {commit[:10]}, but no path of it that counts"
        return []
    return start_by(uow, trigger, ref, "trigger")


def start_by(uow: UnitOfWork, trigger: TriggerRow, of: str, why: str) -> list[int]:
    """What cannot start is said on the trigger; a trigger never fails for somebody else."""
    asked = NewRuns(profiles=trigger.profiles, of=of, note="")
    trigger.last_at = uow.now
    try:
        # What cannot start is undone alone; the other triggers of the same look go on.
        with uow.session.begin_nested():
            slug = trigger.title.slug
            runs = start_in(uow.by(service_actor(f"trigger {trigger.name}")), slug, asked, Why(why, trigger.name))
            numbers = [r.number for r in runs]
    except RampaError as error:
        trigger.last_said = error.sentence()[:500]
        return []
    trigger.last_said = f"Started {', '.join(f'run {n}' for n in numbers)} of {of}"
    return numbers


def due_schedules(services: Services) -> list[int]:
    """Starts what is due. What was missed while the service was down is started once."""
    started: list[int] = []
    with begin(services) as uow:
        rows = select(TriggerRow).where(
            TriggerRow.kind == "schedule", TriggerRow.active, TriggerRow.next_at <= services.now()
        )
        for trigger in locked(uow.session, rows, skip=True):
            trigger.next_at = next_time(trigger.schedule, services.now())
            mirror = mirror_of(services, find_source(uow.session, trigger.title.slug))
            of = trigger.pattern if trigger.pattern not in ("", "*") else f"branch/{mirror.branch()}"
            started += start_by(uow, trigger, of, "schedule")
    return started


def due_sources(services: Services) -> list[str]:
    """Titles whose repository is to be looked at now; a fetch is put into the queue for each."""
    with begin(services) as uow:
        out = []
        for row in uow.session.scalars(select(SourceRow).where(SourceRow.every > 0)):
            if row.tried_at is None or services.now() - row.tried_at >= dt.timedelta(seconds=row.every):
                queue.put(uow.session, "fetch_source", queue.SOURCES, lock=f"fetch:{row.id}", title=row.title.slug)
                out.append(row.title.slug)
        return out


def called(
    services: Services, slug: str, name: str, header: wire.CallHeaders, body: bytes, asked: wire.CallIn
) -> wire.CallOut:
    """A signed call. Whoever has no right to call learns nothing, not even whether there is such a trigger."""
    with begin(services) as uow:
        try:
            trigger = find_trigger(uow, slug, name)
        except NotFound:
            trigger = None
        # A secret of zeros where there is no such trigger: the answer, and the time it takes, are the same.
        secret = b"\0" * 32
        if trigger is not None and trigger.sealed is not None:
            secret = secret_bytes(unseal(trigger.sealed, services.master_key, f"trigger:{trigger.id}").decode())
        check_call(secret, header.rampa_time, header.rampa_hmac, body, services.now())
        if trigger is None or trigger.sealed is None:
            raise Denied("call.signature", "the signature of this call is wrong", where="Rampa-Hmac")
        _only_once(uow, header.rampa_hmac)
        if not trigger.active:
            return wire.CallOut(started=[], said="The trigger is switched off.")
    fetch(services, slug)
    with begin(services) as uow:
        trigger = find_trigger(uow, slug, name)
        mirror = mirror_of(services, find_source(uow.session, slug))
        of = asked.of or mirror.branch()
        _, ref = mirror.resolve(of)
        if not matching(trigger.pattern, [ref.partition("/")[2]]):
            return wire.CallOut(started=[], said=f"{of} is not one that the pattern {trigger.pattern} matches.")
        started = start_by(uow, trigger, ref, "call")
        return wire.CallOut(started=started, said=trigger.last_said)


def _only_once(uow: UnitOfWork, signature: str) -> None:
    now = uow.now
    # Older calls are refused by their time already.
    uow.session.execute(delete(CallSeenRow).where(CallSeenRow.at < now - dt.timedelta(seconds=3 * CALL_AGE)))
    fresh = (
        insert(CallSeenRow)
        .values(signature=signature, at=now)
        .on_conflict_do_nothing()
        .returning(CallSeenRow.signature)
    )
    if uow.session.execute(fresh).scalar() is None:
        raise Conflict("call.twice", "this very call was taken already", where="Rampa-Hmac")


def _out(row: TriggerRow, secret: str = "") -> wire.TriggerOut:
    return wire.TriggerOut(
        name=row.name,
        kind=row.kind,
        pattern=row.pattern,
        schedule=row.schedule,
        paths=row.paths,
        profiles=row.profiles,
        place=row.place,
        active=row.active,
        next_at=row.next_at,
        last_at=row.last_at,
        last_said=row.last_said,
        created_by=row.created_by,
        secret=secret,
        call=f"/api/v1/titles/{row.title.slug}/triggers/{row.name}/call" if row.kind == "call" else "",
    )
