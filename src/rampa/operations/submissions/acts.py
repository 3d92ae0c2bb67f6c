"""What people do about a submission: stop and go on, answer, withdraw, appeal, let it go live, grow, hold, roll back, send again.

The storefront is asked first, and what it then says is what is kept: nothing is written down that it did not do.
"""

from __future__ import annotations

from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.submission.course import BEFORE_THERE, Course, CourseEvent
from rampa.core.submission.life import SubmissionState
from rampa.db import SubmissionRow, find_submission
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.channels.shown import moved, reviewed_channel
from rampa.operations.storefronts.connection import storefront_of
from rampa.operations.storefronts.seen import keep_seen
from rampa.operations.submissions.needs import closed_gates
from rampa.operations.submissions.sending import move
from rampa.operations.submissions.views import describe
from rampa.schema import submissions as wire
from rampa.schema.storefronts import ActIn

SHOWING = ("go-live", "share", "hold", "go-on", "roll-back")
"""What changes what players get."""


def act(services: Services, actor: Actor, slug: str, number: int, asked: wire.SubmissionAct) -> wire.SubmissionOut:
    """Raises `Conflict` for an act that its state does not take, `Refused` where the storefront or a gate says no."""
    must(actor, Act.SHOW if asked.act in SHOWING else Act.SUBMIT)
    if asked.act in HERE:
        with begin(services, actor) as uow:
            row = find_submission(uow.session, slug, number, lock=True)
            if not (asked.act == "withdraw" and row.course not in BEFORE_THERE):
                HERE[asked.act](uow, row)
                return describe(uow, row)
    _there(services, actor, slug, number, asked)
    with begin(services, actor) as uow:
        return describe(uow, find_submission(uow.session, slug, number))


def _there(services: Services, actor: Actor, slug: str, number: int, asked: wire.SubmissionAct) -> None:
    with begin(services, actor) as uow:
        row = find_submission(uow.session, slug, number)
        if row.course is not Course.THERE:
            raise Conflict("submission.not-there", f"{row.name} is {row.words}: {words_of(asked.act)} comes later")
        if asked.act in ("answer", "appeal") and not asked.text.strip():
            raise Invalid("submission.words", "say it in words", where="text")
        channel = reviewed_channel(uow, row.title) if asked.act == "go-live" else None
    if channel is not None:
        closed = closed_gates(services, actor, row.build, channel)
        if closed:
            said = f"{row.build.name} does not go live: a gate of {channel.name} is closed: {closed[0].said}: {closed[0].missing}"
            raise Refused("gate.closed", said, where=closed[0].gate, hint=closed[0].where)
    seen = storefront_of(services, row.storefront).act(
        row.there_id, ActIn(act=asked.act, text=asked.text, share=asked.share)
    )
    with begin(services, actor) as uow:
        mine = find_submission(uow.session, slug, number, lock=True)
        audit.record(uow, "submission.act", mine.name, slug, storefront=mine.storefront, what=words_of(asked.act))
        keep_seen(uow, mine, seen)
    moved(services, row.id)


def words_of(act: str) -> str:
    return act.replace("-", " ")


def _stop(uow: UnitOfWork, row: SubmissionRow) -> None:
    if row.course in (Course.BY_HAND, Course.WAITING):
        raise Conflict("submission.by-hand", f"{row.name} is {row.words}: nothing is being sent", hint="Withdraw it.")
    move(uow, row, CourseEvent.HALT, f"stopped by {uow.actor.name}")
    row.said, row.code = f"Stopped by {uow.actor.name}.", "submission.stopped"


def _go_on(uow: UnitOfWork, row: SubmissionRow) -> None:
    move(uow, row, CourseEvent.GO_ON)
    row.said, row.code, row.tries, row.begun_at = "", "", 0, None


def _withdraw(uow: UnitOfWork, row: SubmissionRow) -> None:
    move(uow, row, CourseEvent.DROP)
    row.said = ""


def _send_again(uow: UnitOfWork, row: SubmissionRow) -> None:
    """With a new key, for the storefront may remember that it lost the first."""
    if row.course is not Course.THERE or row.state is not SubmissionState.LOST:
        raise Conflict(
            "submission.not-lost", f"{row.name} is {row.words}: it is there", hint="Only what was lost is sent again."
        )
    move(uow, row, CourseEvent.SEND_AGAIN)
    row.again, row.upload, row.sent, row.begun_at = row.again + 1, "", 0, None
    row.said, row.code, row.tries, row.there_id, row.seen, row.state, row.set_back = "", "", 0, "", None, None, ""


HERE = {"stop": _stop, "go-on-sending": _go_on, "withdraw": _withdraw, "send-again": _send_again}
"""What needs no storefront."""
