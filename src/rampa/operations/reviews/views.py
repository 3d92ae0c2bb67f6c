"""Reviews as they are read: the queue, one of them with everything about it, times to the first verdict."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import select, tuple_

from rampa.core.platform.table import line_title
from rampa.core.submission import desk
from rampa.core.submission.expected import usual
from rampa.core.submission.life import TRANSITIONS, WORDS, SubmissionState
from rampa.db import BuildRow, ChannelRow, ReviewRow, TitleRow, find_review, find_title
from rampa.db.reviews import OPEN
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, begin, cursor_moment, may, page_of
from rampa.operations.reviews.about import (
    NOTE,
    bundle_of,
    earlier_of,
    findings_of,
    listing_of,
    since_last,
    word_out,
)
from rampa.schema import reviews as wire
from rampa.schema.common import Action, Page

WEEKS = dt.timedelta(weeks=26)
COLUMNS = (
    ReviewRow.id,
    ReviewRow.number,
    ReviewRow.state,
    ReviewRow.created_at,
    ReviewRow.since,
    ReviewRow.promised,
    ReviewRow.made_by,
    ReviewRow.claimed_by,
    ReviewRow.claimant_id,
    ReviewRow.claim_until,
    BuildRow.number.label("build_number"),
    BuildRow.version_name,
    BuildRow.platform,
    ChannelRow.name.label("channel_name"),
    TitleRow.slug,
    TitleRow.name.label("title_name"),
)
ACTS = (
    ("claim", Act.REVIEW, SubmissionState.WAITING),
    ("lapse", Act.REVIEW, SubmissionState.REVIEWING),
    ("ask", Act.REVIEW, SubmissionState.REVIEWING),
    ("refuse", Act.REVIEW, SubmissionState.REVIEWING),
    ("pass", Act.REVIEW, SubmissionState.REVIEWING),
    ("answer", Act.SUBMIT, SubmissionState.QUESTION),
    ("appeal", Act.SUBMIT, SubmissionState.REFUSED),
)


def list_reviews(services: Services, actor: Actor, query: wire.ReviewsQuery) -> Page[wire.ReviewRowOut]:
    """By promise and age while a verdict is to come; else the newest first."""
    with begin(services, actor) as uow:
        # Plain columns: a page of fifty would load fifty builds with all that hangs on them.
        rows = _lines()
        if query.title:
            rows = rows.where(ReviewRow.title_id == find_title(uow.session, query.title).id)
        if query.mine:
            rows = rows.where(ReviewRow.claimant_id == actor.principal, ReviewRow.claim_until > uow.now)
        waits = query.view == "open"
        if query.view != "all":
            rows = rows.where(ReviewRow.state.in_(OPEN) if waits else ReviewRow.state.not_in(OPEN))
        rows = _from(rows, query.cursor, waits=waits)
        return page_of(
            Page[wire.ReviewRowOut],
            uow.session.execute(rows.limit(query.limit + 1)).all(),
            query.limit,
            lambda r: _row(uow, r),
            lambda r: f"{(r.promised if waits else r.created_at).isoformat()} {r.id}",
        )


def _from(rows: Any, cursor: str | None, *, waits: bool) -> Any:
    key = ReviewRow.promised if waits else ReviewRow.created_at
    rows = rows.order_by(key, ReviewRow.id) if waits else rows.order_by(key.desc(), ReviewRow.id.desc())
    if not cursor:
        return rows
    both, place = tuple_(key, ReviewRow.id), cursor_moment(cursor)
    return rows.where(both > place if waits else both < place)


def get_review(services: Services, actor: Actor, slug: str, number: int) -> wire.BuildReview:
    with begin(services, actor) as uow:
        return describe(services, uow, find_review(uow.session, slug, number))


def describe(services: Services, uow: UnitOfWork, row: ReviewRow) -> wire.BuildReview:
    inside = may(uow.actor.role, Act.REVIEW)
    return wire.BuildReview(
        **dict(_line(uow, row)),
        notes=row.notes,
        reasons=desk.REASONS,
        bundle=bundle_of(services, uow, row.build),
        listing=listing_of(uow, row),
        findings=findings_of(services, uow, row),
        since_last=since_last(services, uow, row),
        earlier=earlier_of(uow, row),
        said=[word_out(w) for w in row.words if (w.text or w.kind != "claim") and (inside or w.kind != NOTE)],
        allowed_actions=_actions(uow, row),
    )


def _row(uow: UnitOfWork, row: Any) -> wire.ReviewRowOut:
    """Of a row with the COLUMNS."""
    has = desk.holder(desk.Queued(row.since, row.promised, row.claimed_by, row.claim_until), uow.now)
    state = _state(row.state, has)
    return wire.ReviewRowOut(
        number=row.number,
        title=row.slug,
        title_name=row.title_name,
        build=row.build_number,
        build_name=f"{row.slug}#{row.build_number}",
        version_name=row.version_name,
        platform=line_title(row.platform, ""),
        channel=row.channel_name,
        state=state,
        words=WORDS[state],
        made_by=row.made_by,
        since=row.since,
        promised=row.promised,
        late=(uow.now - row.promised).total_seconds(),
        claimed_by=has,
        claim_until=row.claim_until if has else None,
        mine=bool(has) and row.claimant_id == uow.actor.principal,
    )


def _lines() -> Any:
    rows = select(*COLUMNS).join(BuildRow, BuildRow.id == ReviewRow.build_id)
    rows = rows.join(ChannelRow, ChannelRow.id == ReviewRow.channel_id)
    return rows.join(TitleRow, TitleRow.id == ReviewRow.title_id)


def _state(state: SubmissionState, has: str) -> SubmissionState:
    """A claim that lapsed is none, before anybody wrote that down."""
    return state if has or state is not SubmissionState.REVIEWING else SubmissionState.WAITING


def _line(uow: UnitOfWork, row: ReviewRow) -> wire.ReviewRowOut:
    return _row(uow, uow.session.execute(_lines().where(ReviewRow.id == row.id)).one())


def _actions(uow: UnitOfWork, row: ReviewRow) -> list[Action]:
    """Those of one's own side: reviewers answer nothing, and makers pass nothing that is theirs."""
    has = desk.holder(row.queued, uow.now)
    state = _state(row.state, has)
    own = "You put it before the reviewers yourself." if row.maker_id == uow.actor.principal else ""
    theirs = f"{has} has it." if has and row.claimant_id != uow.actor.principal else ""
    found = [
        action(uow.actor, act, name, (own or theirs) if act is Act.REVIEW else "")
        for name, act, at in ACTS
        if at is state and may(uow.actor.role, act)
    ]
    if may(uow.actor.role, Act.REVIEW):
        found.append(action(uow.actor, Act.REVIEW, "note", own))
    if may(uow.actor.role, Act.SUBMIT) and any(at is state for at, event in TRANSITIONS if event.value == "withdraw"):
        found.append(action(uow.actor, Act.SUBMIT, "withdraw"))
    return found


def times(services: Services, actor: Actor) -> wire.ReviewTimes:
    """Of the last half year."""
    with begin(services, actor) as uow:
        rows = select(ReviewRow.created_at, ReviewRow.promised, ReviewRow.verdict_at).where(
            ReviewRow.verdict_at.isnot(None), ReviewRow.verdict_at > uow.now - WEEKS
        )
        found = [(made, promised, said) for made, promised, said in uow.session.execute(rows) if said is not None]
    weeks = desk.by_week(found)
    return wire.ReviewTimes(
        weeks=[wire.WeekOut(monday=w.monday, count=w.count, late=w.late, usual=w.usual) for w in weeks],
        all=usual((said - made).total_seconds() for made, _, said in found),
    )
