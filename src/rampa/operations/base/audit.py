"""Recording who did what, in the same transaction as the change."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import select

from rampa.db import AuditEventRow, new_id
from rampa.operations.base.context import Services
from rampa.operations.base.pages import cursor_id, page_of
from rampa.operations.base.sentences import SENTENCES, left_to_say, sentence_of
from rampa.operations.base.unit_of_work import UnitOfWork, begin
from rampa.schema.common import Page
from rampa.schema.events import Acts, AuditEvent, EventQuery


def record(uow: UnitOfWork, act: str, subject: str, title: str | None = None, **detail: Any) -> None:
    """`detail` holds figures and names, never secrets. An act has its sentence, or nothing is recorded."""
    sentence_of(act, subject, detail)
    uow.session.add(
        AuditEventRow(
            id=new_id(),
            at=uow.now,
            who=uow.actor.name,
            act=act,
            subject=subject,
            title=title,
            detail=detail,
            request_id=uow.actor.request_id,
        )
    )


def list_events(services: Services, query: EventQuery) -> Page[AuditEvent]:
    """Newest first."""
    rows = select(AuditEventRow).order_by(AuditEventRow.id.desc()).limit(query.limit + 1)
    if query.title:
        rows = rows.where(AuditEventRow.title == query.title)
    if query.act:
        rows = rows.where(AuditEventRow.act.startswith(query.act, autoescape=True))
    if query.who:
        rows = rows.where(AuditEventRow.who == query.who)
    if query.day:
        # A midnight of UTC: the same day means the same events for everybody, wherever they sit.
        midnight = dt.datetime.combine(query.day, dt.time(), dt.UTC)
        rows = rows.where(AuditEventRow.at >= midnight, AuditEventRow.at < midnight + dt.timedelta(days=1))
    if query.cursor:
        rows = rows.where(AuditEventRow.id < cursor_id(query.cursor))
    with begin(services) as uow:
        found = list(uow.session.scalars(rows))
    return page_of(Page[AuditEvent], found, query.limit, _out, lambda e: str(e.id))


def _out(row: AuditEventRow) -> AuditEvent:
    return AuditEvent(
        id=str(row.id),
        at=row.at,
        who=row.who,
        act=row.act,
        subject=row.subject,
        title=row.title,
        sentence=sentence_of(row.act, row.subject, row.detail),
        detail=row.detail,
        more=left_to_say(row.act, row.detail),
        request_id=row.request_id,
    )


def said(row: AuditEventRow) -> str:
    """The whole sentence, with who did it."""
    return f"{row.who} {sentence_of(row.act, row.subject, row.detail)}"


def list_acts() -> Acts:
    return Acts(items=sorted(SENTENCES))
