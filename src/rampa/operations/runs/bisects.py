"""Finding the commit between two builds: planned, started, looked at, cancelled."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select

from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import Document
from rampa.core.run.bisect import (
    NUMBERS,
    TRANSITIONS,
    BisectEvent,
    BisectState,
    By,
    TrialState,
    rounds_left,
)
from rampa.core.run.steps import steps_of
from rampa.db import (
    BisectRow,
    BuildRow,
    CrashGroupRow,
    CrashRow,
    CrashStackRow,
    SourceRow,
    find_bisect,
    find_build,
    find_crash_group,
    find_source,
    find_title,
    load_document,
    queue,
)
from rampa.operations.base import (
    Act,
    Actor,
    Once,
    Services,
    UnitOfWork,
    actions,
    audit,
    begin,
    cursor_numbers,
    must,
    once,
    page_of,
    transition,
)
from rampa.operations.runs.assignment import free_slots
from rampa.operations.runs.bisect_evidence import known
from rampa.operations.runs.bisect_trials import stop_runs, wanted_for
from rampa.operations.runs.history import expected_of
from rampa.operations.sources.repository import mirror_of
from rampa.schema import bisects as wire
from rampa.schema.common import Page
from rampa.store.mirror import Commit, Mirror

MOST_COMMITS = 20_000
MOST_DIFF = 256 * 1024
SHORT = 10
OFFERED = {BisectEvent.CANCEL: Act.CANCEL_RUN}


@dataclass(frozen=True)
class End:
    """A good or a bad end: what it is called, its commit, and its build where one was named."""

    called: str
    commit: str
    build: BuildRow | None = None


def plan_bisect(services: Services, slug: str, asked: wire.NewBisect) -> wire.BisectPlan:
    """Changes nothing."""
    with begin(services) as uow:
        row = _prepared(uow, slug, asked)
        seen = {p: f.state for p in (0, row.last) if (f := known(uow, row, row.commits[p]))}
        at_once = max(1, free_slots(uow, wanted_for(uow, row)))
        rounds = rounds_left(row.last, seen, at_once)
        one = _expected(uow, row)
        return wire.BisectPlan(
            profile=row.profile,
            by=row.by,
            subject=row.subject,
            form=row.form,
            good_commit=row.commits[0],
            bad_commit=row.commits[-1],
            commits=row.last,
            known=len(seen),
            rounds=rounds,
            at_once=at_once,
            expected=one * rounds if one else None,
            takes_codes=row.by == By.UPDATE_COST,
        )


def start_bisect(services: Services, actor: Actor, slug: str, asked: wire.NewBisect, key: Once | None) -> wire.Bisect:
    must(actor, Act.START_RUN)

    def make() -> wire.Bisect:
        find_title(uow.session, slug, lock=True)
        row = _prepared(uow, slug, asked)
        newest = uow.session.scalar(select(func.max(BisectRow.number)).where(BisectRow.title_id == row.title.id))
        row.number = (newest or 0) + 1
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "bisect.start", row.name, slug, good=row.good, bad=row.bad, by=row.by.value, commits=row.last)
        queue.put(uow.session, "go_on_bisecting", queue.RUNS, lock="bisect")
        return describe(uow, row)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Bisect, make)


def list_bisects(services: Services, slug: str, query: wire.BisectQuery) -> Page[wire.BisectSummary]:
    with begin(services) as uow:
        rows = select(BisectRow).where(BisectRow.title_id == find_title(uow.session, slug).id)
        if query.state:
            rows = rows.where(BisectRow.state == query.state)
        if query.cursor:
            rows = rows.where(BisectRow.number < cursor_numbers(query.cursor, 1)[0])
        found = list(uow.session.scalars(rows.order_by(BisectRow.number.desc()).limit(query.limit + 1)))
        places = _places(uow, found)
        return page_of(
            wire.BisectPage,
            found,
            query.limit,
            lambda r: wire.BisectSummary(**_facts(r, places)),
            lambda r: str(r.number),
        )


def get_bisect(services: Services, actor: Actor, slug: str, number: int) -> wire.Bisect:
    with begin(services, actor) as uow:
        return describe(uow, find_bisect(uow.session, slug, number))


def cancel_bisect(services: Services, actor: Actor, slug: str, number: int) -> wire.Bisect:
    """Its runs are cancelled with it. Doing it twice is no error."""
    must(actor, Act.CANCEL_RUN)
    with begin(services, actor) as uow:
        row = find_bisect(uow.session, slug, number, lock=True)
        if row.state != BisectState.CANCELLED:
            transition(uow, row, BisectEvent.CANCEL)
            row.said = f"Cancelled by {actor.name}."
            stop_runs(uow, row)
        return describe(uow, row)


def get_diff(services: Services, slug: str, number: int) -> wire.CommitDiff:
    """What the commit that was found changed."""
    with begin(services) as uow:
        row = find_bisect(uow.session, slug, number)
        commit = row.found
        if not commit:
            raise Conflict("bisect.not-found", f"{row.name} is {row.state.value}: there is no one commit")
        mirror = mirror_of(services, find_source(uow.session, slug))
    facts = mirror.log(commit, 0, 1)[0]
    text, cut = mirror.diff(commit, MOST_DIFF)
    return wire.CommitDiff(commit=commit, subject=facts.subject, author=facts.author, at=facts.at, text=text, cut=cut)


def _prepared(uow: UnitOfWork, slug: str, asked: wire.NewBisect) -> BisectRow:
    """Everything about it, checked. Raises `Invalid`, `NotFound`, `Refused`."""
    title = find_title(uow.session, slug)
    source = find_source(uow.session, slug)
    mirror = mirror_of(uow.services, source)
    good, bad = (_end(uow, slug, mirror, said, where) for said, where in ((asked.good, "good"), (asked.bad, "bad")))
    document = load_document(uow.session, title)
    row = BisectRow(
        title=title,
        title_id=title.id,
        number=0,
        profile=_profile(document, asked, bad),
        by=asked.by,
        subject=asked.subject.strip().strip("/"),
        crash="",
        form=asked.form,
        limit=asked.limit,
        good=good.called,
        bad=bad.called,
        good_build=good.build,
        commits=_line(mirror, good, bad),
        state=BisectState.WORKING,
        said="",
        started_by=uow.actor.name,
        created_at=uow.now,
        trials=[],
    )
    _check_subject(uow, slug, row, document)
    return row


def _end(uow: UnitOfWork, slug: str, mirror: Mirror, said: str, where: str) -> End:
    if said.isdigit() and len(said) < 10:
        build = find_build(uow.session, slug, int(said))
        if not build.made.commit:
            raise Refused("bisect.by-hand", f"{build.name} was not made from a commit", where=where)
        return End(build.name, build.made.commit, build)
    commit, _ = mirror.resolve(said)
    return End(said[:SHORT] if said == commit else said, commit)


def _profile(document: Document, asked: wire.NewBisect, bad: End) -> str:
    """The one asked for, or the bad build's; where that is for devices that no agent is, the document's first for desktops."""
    name = asked.profile or (bad.build.profile if bad.build else "")
    if not asked.profile and asked.by in (By.SELF_TEST, By.CRASH) and name in document.profiles:
        purpose = document.profile(name).settings.purpose
        others = [n for n in document.profiles if document.profile(n).settings.purpose == purpose]
        name = next((n for n in [name, *others] if _starts_here(document, n)), name)
    if name not in document.profiles:
        hint = f"There is: {', '.join(document.profiles)}."
        said = f"there is no profile {name!r}" if name else "no build is named, so the profile must be"
        raise Invalid("bisect.profile", said, where="profile", hint=hint)
    return name


def _line(mirror: Mirror, good: End, bad: End) -> list[str]:
    if good.commit == bad.commit:
        raise Refused("bisect.same", f"{good.called} and {bad.called} are of the same commit", where="bad")
    found = mirror.line(good.commit, bad.commit, MOST_COMMITS)
    if not found:
        base = mirror.base(good.commit, bad.commit)
        hint = f"The newest commit that both have is {base[:SHORT]}: begin there." if base else ""
        message = f"{good.called} does not lie before {bad.called} on its branch, or more than {MOST_COMMITS:,} commits before"
        raise Refused("bisect.no-line", message, where="good", hint=hint)
    return found


def _check_subject(uow: UnitOfWork, slug: str, row: BisectRow, document: Document) -> None:
    match row.by:
        case By.CRASH:
            if not row.subject.isdigit() or len(row.subject) > 9:
                raise Invalid(
                    "bisect.subject",
                    "a crash group is named by its number",
                    where="subject",
                    hint="See `rampa health crashes`.",
                )
            group = find_crash_group(uow.session, slug, int(row.subject))
            row.crash, row.form = group.key, row.form or _form_of(uow, group)
        case By.STEP_TIME:
            names = [s.name for s in steps_of(document, document.profile(row.profile))]
            if row.subject not in names:
                hint = f"Its steps are: {', '.join(names)}."
                raise Invalid(
                    "bisect.subject", f"{row.profile} has no step {row.subject!r}", where="subject", hint=hint
                )
        case By.UPDATE_COST:
            if row.good_build is None:
                raise Invalid("bisect.good-build", "the update is from a build: name one as the good end", where="good")
    if row.limit is not None and row.by not in NUMBERS:
        raise Invalid("bisect.limit", f"{row.by.value} has no limit: it is there or not", where="limit")
    if row.form and row.by not in (By.SELF_TEST, By.CRASH):
        raise Invalid("bisect.form", "a class of device is told to a self-test, and this runs none", where="form")
    if row.by in (By.SELF_TEST, By.CRASH) and not _starts_here(document, row.profile):
        hint = "Choose a profile for desktops to try with: the commits are the same."
        message = f"{row.profile} is for devices that no agent is: no self-test runs there"
        raise Refused("bisect.platform", message, where="profile", hint=hint)


def _starts_here(document: Document, profile: str) -> bool:
    """Where codes only rise, devices install from a store, and a bundle is no program that an agent could start."""
    return not PLATFORMS[document.profile(profile).settings.platform].rising_codes


def _form_of(uow: UnitOfWork, group: CrashGroupRow) -> str:
    """The class of device that has it most."""
    rows = (
        select(CrashRow.form)
        .join(CrashStackRow, CrashStackRow.id == CrashRow.stack_id)
        .where(CrashStackRow.group_id == group.id)
        .group_by(CrashRow.form)
        .order_by(func.count().desc())
        .limit(1)
    )
    return uow.session.scalar(rows) or ""


def _expected(uow: UnitOfWork, row: BisectRow) -> float | None:
    document = load_document(uow.session, row.title)
    names = [s.name for s in steps_of(document, document.profile(row.profile))]
    if row.by != By.UPDATE_COST and "bundle" in names:
        names = names[: names.index("bundle") + 1]
    return expected_of(uow, row.title, row.profile).total(names)


def describe(uow: UnitOfWork, row: BisectRow) -> wire.Bisect:
    seen, (low, high) = row.seen, row.range
    at_once = max(1, free_slots(uow, wanted_for(uow, row)) + sum(s == TrialState.WAITING for s in seen.values()))
    rounds = rounds_left(row.last, seen, at_once) if row.state == BisectState.WORKING else 0
    one = _expected(uow, row) if rounds else None
    items = _commits(uow, row, low, high)
    values = {t.position: t.value for t in row.trials}
    return wire.Bisect(
        **_facts(row, _places(uow, [row])),
        limit=row.limit,
        good_value=values.get(0),
        bad_value=values.get(row.last),
        rounds_left=rounds,
        expected=one * rounds if one else None,
        items=items,
        found=items[high] if row.state == BisectState.FOUND else None,
        allowed_actions=actions(uow.actor, TRANSITIONS, row.state, OFFERED),
    )


def _commits(uow: UnitOfWork, row: BisectRow, low: int, high: int) -> list[wire.BisectCommit]:
    facts = _known_commits(uow, row)
    trials = {t.position: t for t in row.trials}
    out = []
    for position, commit in enumerate(row.commits):
        trial, said = trials.get(position), facts.get(commit)
        run = trial.run if trial else None
        out.append(
            wire.BisectCommit(
                position=position,
                commit=commit,
                subject=said.subject[:300] if said else "",
                author=said.author[:100] if said else "",
                at=said.at if said else None,
                state=trial.state if trial else None,
                run=run.number if run else 0,
                run_state=run.state.value if run else "",
                build=run.build.number if run and run.build else 0,
                again=bool(trial and trial.again),
                value=trial.value if trial else None,
                said=trial.said if trial else "",
                inside=low < position <= high,
            )
        )
    return out


def _known_commits(uow: UnitOfWork, row: BisectRow) -> dict[str, Commit]:
    source = uow.session.scalar(select(SourceRow).where(SourceRow.title_id == row.title_id))
    if source is None:
        return {}
    mirror = mirror_of(uow.services, source)
    # The repository may have forgotten them since.
    if not mirror.there or not mirror.has(row.commits[-1]):
        return {}
    return {c.commit: c for c in mirror.log(row.commits[-1], 0, 4 * MOST_COMMITS, since=f"{row.commits[0]}^@")}


def _facts(row: BisectRow, places: dict[str, str]) -> dict[str, Any]:
    low, high = row.range
    return {
        "name": row.name,
        "number": row.number,
        "title": row.title.slug,
        "profile": row.profile,
        "by": row.by,
        "subject": row.subject,
        "about": " ".join(x for x in (row.by.value.replace("-", " "), places.get(row.crash, row.subject)) if x),
        "form": row.form,
        "good": row.good,
        "bad": row.bad,
        "state": row.state,
        "said": row.said,
        "commits": row.last,
        "left": high - low,
        "started_by": row.started_by,
        "created_at": row.created_at,
        "ended_at": row.ended_at,
    }


def _places(uow: UnitOfWork, rows: list[BisectRow]) -> dict[str, str]:
    """Key of a crash group -> its place; in one question."""
    keys = {r.crash for r in rows if r.crash}
    if not keys:
        return {}
    found = select(CrashGroupRow.key, CrashGroupRow.place).where(CrashGroupRow.key.in_(keys))
    return {key: place for key, place in uow.session.execute(found)}
