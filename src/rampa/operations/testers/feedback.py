"""Feedback: said by a tester of a build that they may install; answered and closed by the studio, which tells them by mail."""

from __future__ import annotations

import uuid

from sqlalchemy import func, select

from rampa.core.address import normal
from rampa.core.errors import NotFound
from rampa.core.platform.table import platform_title
from rampa.core.testers.feedback import TRANSITIONS, FeedbackEvent, FeedbackState
from rampa.core.transitions import advance, possible
from rampa.db import (
    DeviceRow,
    FeedbackRow,
    FeedbackWordRow,
    find_build,
    find_feedback,
    find_title,
    queue,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin
from rampa.operations.base.pages import cursor_numbers, page_of
from rampa.operations.base.policy import from_events
from rampa.operations.testers.access import must_install
from rampa.operations.testers.sign_offs import must_be_own
from rampa.operations.testers.testing import find_live
from rampa.schema import feedback as wire
from rampa.schema.common import Page

OFFERED = {
    FeedbackEvent.ANSWER: Act.ANSWER_FEEDBACK,
    FeedbackEvent.CLOSE: Act.ANSWER_FEEDBACK,
    FeedbackEvent.REOPEN: Act.ANSWER_FEEDBACK,
    FeedbackEvent.REPLY: Act.TEST,
}


def say(services: Services, actor: Actor, slug: str, name: str, number: int, asked: wire.FeedbackIn) -> wire.Feedback:
    """Raises `NotFound` for a build that is not there to be tested, a device or a picture that is not one's own."""
    with begin(services, actor) as uow:
        channel = must_install(uow, slug, name)
        build = find_live(uow, channel.id, number)
        title = find_title(uow.session, slug, lock=True)
        must_be_own(uow, build, set(asked.pictures))
        last = uow.session.scalar(select(func.max(FeedbackRow.number)).where(FeedbackRow.title_id == title.id))
        row = FeedbackRow(
            title=title, number=(last or 0) + 1, build=build, person_id=actor.principal, state=FeedbackState.OPEN,
            text=asked.text.strip(), device=_device(uow, title.id, asked), pictures=list(asked.pictures), words=[],
            mended_build=0, mended_commit="", changed_at=uow.now, created_at=uow.now,
        )  # fmt: skip
        uow.session.add(row)
        uow.session.flush()
        uow.session.refresh(row)
        audit.record(uow, "feedback.say", row.name, slug, build=build.name)
        return _out(uow, row)


def _device(uow: UnitOfWork, title: uuid.UUID, asked: wire.FeedbackIn) -> str:
    """The facts of a registered one, as they are at this moment; else what the person says."""
    if asked.device_id is None:
        return asked.device
    row = uow.session.get(DeviceRow, uuid.UUID(asked.device_id))
    if row is None or row.person_id != uow.actor.principal or row.title_id != title:
        raise NotFound("device.unknown", "you have no such device", where="device_id")
    facts = [f"{platform_title(row.platform)} {row.level}".strip(), row.form, "simulated" if row.simulated else ""]
    facts.append(f"has #{row.build.number}" if row.build else "")
    return f"{row.name}: {', '.join(f for f in facts if f)}"


def list_own(services: Services, actor: Actor) -> Page[wire.Feedback]:
    """The caller's own of all titles, the last hundred; newest first."""
    with begin(services, actor) as uow:
        rows = select(FeedbackRow).where(FeedbackRow.person_id == actor.principal).order_by(FeedbackRow.id.desc())
        return Page[wire.Feedback](items=[_out(uow, r) for r in uow.session.scalars(rows.limit(100))])


def reply(services: Services, actor: Actor, feedback: str, text: str) -> wire.Feedback:
    """By who said it: the word is the studio's again."""
    with begin(services, actor) as uow:
        row = uow.session.get(FeedbackRow, uuid.UUID(feedback), with_for_update={"of": FeedbackRow})
        if row is None or row.person_id != actor.principal:
            raise NotFound("feedback.unknown", "you have said nothing of that number", where="feedback")
        return _move(uow, row, FeedbackEvent.REPLY, text)


def list_feedback(services: Services, actor: Actor, slug: str, query: wire.FeedbackQuery) -> Page[wire.Feedback]:
    """Newest first."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        rows = select(FeedbackRow).where(FeedbackRow.title_id == title.id)
        if query.state:
            rows = rows.where(FeedbackRow.state == FeedbackState(query.state))
        if query.build:
            rows = rows.where(FeedbackRow.build_id == find_build(uow.session, slug, query.build).id)
        if query.search:
            rows = rows.where(FeedbackRow.text.icontains(normal(query.search), autoescape=True))
        if query.cursor:
            rows = rows.where(FeedbackRow.number < cursor_numbers(query.cursor, 1)[0])
        found = list(uow.session.scalars(rows.order_by(FeedbackRow.number.desc()).limit(query.limit + 1)))
        return page_of(Page[wire.Feedback], found, query.limit, lambda r: _out(uow, r), lambda r: str(r.number))


def get_feedback(services: Services, actor: Actor, slug: str, number: int) -> wire.Feedback:
    with begin(services, actor) as uow:
        return _out(uow, find_feedback(uow.session, slug, number))


def answer(services: Services, actor: Actor, slug: str, number: int, text: str) -> wire.Feedback:
    with begin(services, actor) as uow:
        row = find_feedback(uow.session, slug, number, lock=True)
        told = _move(uow, row, FeedbackEvent.ANSWER, text)
        _tell(uow, row, f"{actor.name} answers:\n\n{text}\n")
        return told


def close(services: Services, actor: Actor, slug: str, number: int, asked: wire.CloseIn) -> wire.Feedback:
    """With the build or the commit that mends it, where there is one. Raises `NotFound` for a build that does not exist."""
    with begin(services, actor) as uow:
        row = find_feedback(uow.session, slug, number, lock=True)
        if asked.build is not None:
            row.mended_build = find_build(uow.session, slug, asked.build).number
        row.mended_commit = asked.commit
        told = _move(uow, row, FeedbackEvent.CLOSE, asked.text)
        by = f" It is mended in build {row.mended_build}." if row.mended_build else ""
        said = f"\n{asked.text}\n" if asked.text.strip() else ""
        _tell(uow, row, f"{actor.name} closed it.{by}\n{said}")
        return told


def reopen(services: Services, actor: Actor, slug: str, number: int) -> wire.Feedback:
    with begin(services, actor) as uow:
        row = find_feedback(uow.session, slug, number, lock=True)
        row.mended_build, row.mended_commit = 0, ""
        return _move(uow, row, FeedbackEvent.REOPEN, "")


def _move(uow: UnitOfWork, row: FeedbackRow, event: FeedbackEvent, text: str) -> wire.Feedback:
    row.state = advance(TRANSITIONS, row.state, event, row.name)
    row.changed_at = uow.now
    if text.strip():
        by_studio = event is not FeedbackEvent.REPLY
        word = FeedbackWordRow(
            feedback_id=row.id, who=uow.actor.name, by_studio=by_studio, text=text.strip(), created_at=uow.now
        )
        row.words.append(word)
    audit.record(uow, f"feedback.{event.value}", row.name, row.title.slug)
    uow.session.flush()
    return _out(uow, row)


def _tell(uow: UnitOfWork, row: FeedbackRow, news: str) -> None:
    """Not to somebody who answers themselves."""
    if row.person_id == uow.actor.principal or row.person.disabled_at is not None:
        return
    subject = f"What you said of {row.title.name} #{row.build.number}"
    at = f"\n{uow.services.origin}/testing/feedback\n" if uow.services.origin else ""
    text = f"Hello {row.person.name},\n\nyou said of {row.title.name} #{row.build.number}:\n\n{row.text[:500]}\n\n{news}{at}"
    queue.put(uow.session, "send_letter", queue.MAIL, to=row.person.email, subject=subject, text=text)


def _out(uow: UnitOfWork, row: FeedbackRow) -> wire.Feedback:
    return wire.Feedback(
        id=str(row.id),
        number=row.number,
        title=row.title.slug,
        title_name=row.title.name,
        build=row.build.number,
        version_name=row.build.version_name,
        platform=platform_title(row.build.platform),
        person=row.person.name,
        state=row.state,
        text=row.text,
        device=row.device,
        pictures=list(row.pictures),
        words=[wire.FeedbackWord(who=w.who, by_studio=w.by_studio, text=w.text, at=w.created_at) for w in row.words],
        mended_build=row.mended_build or None,
        mended_commit=row.mended_commit,
        created_at=row.created_at,
        changed_at=row.changed_at,
        allowed_actions=from_events(uow.actor, row.state, possible(TRANSITIONS, row.state), OFFERED),
    )
