"""The studio's own review desk: builds put before its reviewers for a channel, claimed by one at a time, refused or passed.

A claim is locked by its row: of two who claim at once one has it. It lapses by itself; whoever has it keeps it by any act.
"""

from __future__ import annotations

import datetime as dt

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.submission import desk
from rampa.core.submission.life import TRANSITIONS, WORDS, SubmissionEvent, SubmissionState
from rampa.core.transitions import advance
from rampa.db import (
    ReviewRow,
    ReviewWordRow,
    find_build,
    find_channel,
    find_review,
    find_title,
    newest_review,
    next_review,
)
from rampa.db.reviews import OPEN
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must, service_actor
from rampa.operations.reviews.views import describe
from rampa.schema import reviews as wire

EVENTS = {
    "claim": SubmissionEvent.CLAIM,
    "lapse": SubmissionEvent.LAPSE,
    "ask": SubmissionEvent.ASK,
    "refuse": SubmissionEvent.REFUSE,
    "pass": SubmissionEvent.PASS,
    "answer": SubmissionEvent.ANSWER,
    "appeal": SubmissionEvent.APPEAL,
    "withdraw": SubmissionEvent.WITHDRAW,
}
REVIEWERS = ("claim", "lapse", "note", "ask", "refuse", "pass")
"""What reviewers do; the rest is the makers'."""
VERDICTS = ("ask", "refuse", "pass")


def put_before(services: Services, actor: Actor, slug: str, asked: wire.NewReview) -> wire.BuildReview:
    """A build before the reviewers of a channel. Another of the same profile that waits there is withdrawn for it."""
    must(actor, Act.SUBMIT)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        build, channel = find_build(uow.session, slug, asked.build), find_channel(uow.session, slug, asked.channel)
        if build.state is not BuildState.READY:
            raise Refused("review.build", f"{build.name} is {build.state}: there is nothing to look at")
        there = newest_review(uow.session, build.id, channel.id)
        if there is not None and there.state in (*OPEN, SubmissionState.PASSED):
            raise Conflict("review.there", f"{build.name} is before the reviewers already: {WORDS[there.state]}")
        row = ReviewRow(
            title_id=title.id, title=title, number=next_review(uow.session, title), build=build, channel=channel,
            state=SubmissionState.WAITING, notes=asked.notes, made_by=actor.name, maker_id=actor.principal, since=uow.now,
            promised=uow.now + dt.timedelta(hours=asked.hours), moved_at=uow.now, created_at=uow.now, claimed_by="",
        )  # fmt: skip
        _replace_older(uow, row)
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "review.make", row.name, slug, build=build.name, channel=channel.name)
        return describe(services, uow, row)


def act(services: Services, actor: Actor, slug: str, number: int, asked: wire.ReviewAct) -> wire.BuildReview:
    """Raises `Conflict` where its state does not take it or somebody else has it, `Invalid` for a verdict without words."""
    must(actor, Act.REVIEW if asked.act in REVIEWERS else Act.SUBMIT)
    with begin(services, actor) as uow:
        row = find_review(uow.session, slug, number, lock=True)
        _lapse(uow, row)
        if asked.act in REVIEWERS:
            _must_be_another(row, actor)
        if asked.act == "claim":
            desk.must_be_free(row.name, row.queued, actor.name, uow.now)
        elif asked.act in ("lapse", *VERDICTS):
            _must_be_takeable(row, asked)
            desk.must_hold(row.name, row.queued, actor.name, uow.now)
        _say(uow, row, asked)
        return describe(services, uow, row)


def lapse_due(services: Services) -> int:
    """Claims of those who vanished end; how many did."""
    with begin(services, service_actor("the review desk")) as uow:
        rows = select(ReviewRow).where(ReviewRow.state == SubmissionState.REVIEWING, ReviewRow.claim_until <= uow.now)
        found = list(uow.session.scalars(rows.with_for_update(of=ReviewRow, skip_locked=True)))
        return sum(_lapse(uow, row) for row in found)


def _say(uow: UnitOfWork, row: ReviewRow, asked: wire.ReviewAct) -> None:
    if asked.act in ("note", "answer", "appeal") and not asked.text.strip():
        raise Invalid("review.words", "say it in words", where="text")
    desk.must_say(asked.act, asked.text, asked.reason, desk.REASONS)
    if asked.act == "claim" and row.state is SubmissionState.REVIEWING:
        row.claim_until = uow.now + desk.CLAIM
        return
    if asked.act in EVENTS:
        _move(uow, row, EVENTS[asked.act])
    elif row.claimant_id == uow.actor.principal:
        row.claim_until = uow.now + desk.CLAIM
    _keep(uow, row, asked.act, asked.text, asked.about, asked.reason if asked.act == "refuse" else "")


def _move(uow: UnitOfWork, row: ReviewRow, event: SubmissionEvent) -> None:
    row.state = advance(TRANSITIONS, row.state, event, row.name)
    row.moved_at = uow.now
    row.claimed_by, row.claimant_id, row.claim_until = "", None, None
    if row.state is SubmissionState.REVIEWING:
        row.claimed_by, row.claimant_id, row.claim_until = uow.actor.name, uow.actor.principal, uow.now + desk.CLAIM
    if event in (SubmissionEvent.ANSWER, SubmissionEvent.APPEAL):
        # It waits anew, as long a promise as it had.
        row.promised, row.since = uow.now + (row.promised - row.since), uow.now
    if event in (SubmissionEvent.ASK, SubmissionEvent.REFUSE, SubmissionEvent.PASS) and row.verdict_at is None:
        row.verdict_at = uow.now
    audit.record(uow, f"review.{event.value}", row.name, row.title.slug, build=row.build.name, channel=row.channel.name)


def _lapse(uow: UnitOfWork, row: ReviewRow) -> bool:
    gone = row.state is SubmissionState.REVIEWING and not desk.holder(row.queued, uow.now)
    if gone:
        who = row.claimed_by
        _move(uow, row, SubmissionEvent.LAPSE)
        _keep(uow, row, "lapse", f"The claim of {who} lapsed.")
    return gone


def _keep(uow: UnitOfWork, row: ReviewRow, kind: str, text: str = "", about: str = "", reason: str = "") -> None:
    word = ReviewWordRow(
        review_id=row.id,
        at=uow.now,
        by=uow.actor.name,
        kind=kind,
        text=text.strip(),
        about=about.strip(),
        reason=reason,
    )
    uow.session.add(word)
    uow.session.flush()
    uow.session.expire(row, ["words"])


def _replace_older(uow: UnitOfWork, new: ReviewRow) -> None:
    """Whoever has it claimed finds it withdrawn, and why."""
    rows = select(ReviewRow).where(
        ReviewRow.title_id == new.title_id, ReviewRow.channel_id == new.channel.id, ReviewRow.state.in_(OPEN)
    )
    for row in uow.session.scalars(rows.with_for_update(of=ReviewRow)):
        if row.build.profile == new.build.profile:
            _move(uow, row, SubmissionEvent.WITHDRAW)
            _keep(uow, row, "withdraw", f"{new.build.name} took its place.")


def _must_be_another(row: ReviewRow, actor: Actor) -> None:
    if row.maker_id == actor.principal:
        hint = "Another reviewer looks at it."
        raise Refused("review.own", f"you put {row.build.name} before the reviewers yourself", hint=hint)


def _must_be_takeable(row: ReviewRow, asked: wire.ReviewAct) -> None:
    """What was withdrawn or replaced meanwhile is said first: who had it claimed looks at a page that is old."""
    if row.state in (SubmissionState.WITHDRAWN, SubmissionState.PASSED, SubmissionState.REFUSED):
        last = next((w for w in reversed(row.words) if w.kind != "note"), None)
        said = f": {last.text}" if last and last.text else ""
        raise Conflict("review.moved", f"{row.name} is {WORDS[row.state]} meanwhile{said}", where="act")
