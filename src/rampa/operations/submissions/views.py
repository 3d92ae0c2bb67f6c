"""Submissions as they are read."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import JSONB

from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.submission.course import BEFORE_THERE, Course
from rampa.core.submission.expected import WAY, Step, Usual, usual_states, usual_verdict
from rampa.core.submission.life import OVER, WORDS, SubmissionState
from rampa.db import (
    StudioRuleRow,
    SubmissionRow,
    find_submission,
    find_title,
    mended_by,
    storefront_titles,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, begin, cursor_numbers, page_of
from rampa.schema import submissions as wire
from rampa.schema.common import Action, Page

EARLIER = 200
"""Submissions at a storefront that what is usual is taken from, the newest."""
ACTS = {
    "answer": Act.SUBMIT,
    "appeal": Act.SUBMIT,
    "go-live": Act.SHOW,
    "share": Act.SHOW,
    "hold": Act.SHOW,
    "go-on": Act.SHOW,
    "roll-back": Act.SHOW,
    "withdraw": Act.SUBMIT,
}


def get_submission(services: Services, actor: Actor, slug: str, number: int) -> wire.SubmissionOut:
    with begin(services, actor) as uow:
        return describe(uow, find_submission(uow.session, slug, number))


def list_submissions(
    services: Services, actor: Actor, slug: str, query: wire.SubmissionsQuery
) -> Page[wire.SubmissionRowOut]:
    """The newest first."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        rows = select(SubmissionRow).where(SubmissionRow.title_id == title.id)
        if query.open:
            gone = SubmissionRow.state.in_([s.value for s in OVER])
            rows = rows.where(SubmissionRow.course != Course.DROPPED, gone.isnot(True))
        if query.storefront:
            rows = rows.where(SubmissionRow.storefront == query.storefront)
        if query.build is not None:
            rows = rows.where(SubmissionRow.build.has(number=query.build))
        if query.cursor:
            rows = rows.where(SubmissionRow.number < cursor_numbers(query.cursor, 1)[0])
        found = list(uow.session.scalars(rows.order_by(SubmissionRow.number.desc()).limit(query.limit + 1)))
        titles = titles_of(uow)
        return page_of(
            Page[wire.SubmissionRowOut], found, query.limit, lambda r: _row(r, titles), lambda r: str(r.number)
        )


def titles_of(uow: UnitOfWork) -> dict[str, str]:
    """A storefront's short name here -> what people call it."""
    return {name: found.title for name, found in STOREFRONTS.items()} | storefront_titles(uow.session)


def describe(uow: UnitOfWork, row: SubmissionRow) -> wire.SubmissionOut:
    histories = _histories(uow, row)
    seen, asked = row.seen, row.asked
    return wire.SubmissionOut(
        **dict(_row(row, titles_of(uow))),
        notes=asked.notes,
        going=row.going,
        going_at=row.going_at,
        wait=row.together is not None,
        replaces=row.replaces.number if row.replaces else None,
        mended_by=mended_by(uow.session, row),
        changed=row.changed,
        listing=row.listing,
        languages=list(asked.listing.texts),
        permissions=asked.permissions,
        rating=asked.listing.rating,
        hand_in=row.hand_in if row.course is Course.BY_HAND else "",
        set_back=row.set_back,
        stages=_stages(row, histories),
        events=seen.events if seen else [],
        reviewers=seen.words if seen else [],
        findings=_findings(uow, row),
        verdict=usual_verdict(histories),
        looked_at=row.looked_at,
        allowed_actions=_actions(uow.actor, row),
    )


def _row(row: SubmissionRow, titles: dict[str, str]) -> wire.SubmissionRowOut:
    seen, build = row.seen, row.build
    return wire.SubmissionRowOut(
        number=row.number,
        title=row.title.slug,
        build=build.number,
        build_name=build.name,
        version_name=build.version_name,
        version_code=build.version_code,
        platform=row.platform,
        storefront=row.storefront,
        storefront_title=titles.get(row.storefront, row.storefront),
        course=row.course,
        state=row.state,
        words=row.words,
        there=seen.there if seen else "",
        ahead=seen.ahead if seen else None,
        share=seen.share if seen else row.asked.share,
        held=seen.held if seen else False,
        said=row.said,
        upload=_upload(row),
        made_by=row.made_by,
        created_at=row.created_at,
        moved_at=row.moved_at,
        over=row.over,
    )


def _upload(row: SubmissionRow) -> wire.Upload | None:
    """While it is on its way."""
    if row.course not in (Course.SENDING, Course.HALTED):
        return None
    rate = 0.0
    if row.course is Course.SENDING and row.begun_at and row.progress_at:
        seconds = (row.progress_at - row.begun_at).total_seconds()
        rate = (row.sent - row.begun_sent) / seconds if seconds > 0 else 0.0
    left = (row.size - row.sent) / rate if rate > 0 else None
    return wire.Upload(sent=row.sent, size=row.size, rate=rate, left=left)


def _histories(uow: UnitOfWork, row: SubmissionRow) -> list[list[Step]]:
    # Of what was seen the steps alone: who follows a submission asks every few seconds.
    steps = func.jsonb_extract_path(SubmissionRow.seen, "events", type_=JSONB)
    rows = select(steps).where(
        SubmissionRow.storefront == row.storefront, SubmissionRow.id != row.id, SubmissionRow.seen.isnot(None)
    )
    newest = uow.session.scalars(rows.order_by(SubmissionRow.created_at.desc()).limit(EARLIER))
    return [_steps(events) for events in newest if events]


def _steps(events: list[dict[str, str]]) -> list[Step]:
    return [(dt.datetime.fromisoformat(e["at"]), SubmissionState(e["state"])) for e in events]


def _stages(row: SubmissionRow, histories: Iterable[list[Step]]) -> list[wire.Stage]:
    """All that it was, in its order; then what lies on the way of one that nobody refuses."""
    usual = usual_states(histories)
    steps = [(e.at, e.state) for e in row.seen.events] if row.seen else []
    stages = []
    for n, (began, state) in enumerate(steps):
        ended = steps[n + 1][0] if n + 1 < len(steps) else None
        stages.append(_stage(row, state, usual, began, ended))
    now = steps[-1][1] if steps else None
    at = WAY.index(now) + 1 if now in WAY else len(WAY) if now else 0
    return stages + [_stage(row, state, usual) for state in WAY[at:]]


def _stage(
    row: SubmissionRow,
    state: SubmissionState,
    usual: dict[SubmissionState, Usual],
    began: dt.datetime | None = None,
    ended: dt.datetime | None = None,
) -> wire.Stage:
    there = row.seen.there if row.seen and row.seen.state is state and ended is None and began is not None else ""
    return wire.Stage(state=state, words=WORDS[state], there=there, began=began, ended=ended, usual=usual.get(state))


def _findings(uow: UnitOfWork, row: SubmissionRow) -> list[wire.SubmissionFinding]:
    """What the storefront found, and whether the studio has a check for it now."""
    if row.seen is None or not row.seen.findings:
        return []
    made = {r.made_of: r.name for r in uow.session.scalars(select(StudioRuleRow))}
    return [
        wire.SubmissionFinding(**dict(found), rule=made.get(source(row.storefront, found.code), ""))
        for found in row.seen.findings
    ]


def source(storefront: str, code: str) -> str:
    """What a check of the studio's own was made of."""
    return f"{storefront}: {code}"[:300]


def _actions(actor: Actor, row: SubmissionRow) -> list[Action]:
    if row.course in BEFORE_THERE:
        acts = {Course.SENDING: ["stop"], Course.HALTED: ["go-on-sending"]}.get(row.course, [])
        return [action(actor, Act.SUBMIT, name) for name in (*acts, "withdraw")]
    if row.state is SubmissionState.LOST:
        return [action(actor, Act.SUBMIT, "send-again")]
    able = row.seen.can if row.seen else []
    # What is live in parts is given to more, up to all.
    able = [name for name in able if not (name == "go-live" and "share" in able)]
    found = [action(actor, act, name) for name, act in ACTS.items() if name in able]
    if row.state in (SubmissionState.REFUSED, SubmissionState.QUESTION):
        found.append(action(actor, Act.SUBMIT, "submit-again"))
    return found
