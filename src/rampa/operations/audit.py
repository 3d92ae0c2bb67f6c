"""Recording who did what, in the same transaction as the change."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.db.base import new_id
from rampa.db.people import AuditEvent
from rampa.operations.context import Actor, Services
from rampa.operations.paging import cursor_id, page_of
from rampa.schema.common import Page
from rampa.schema.events import Event, EventQuery


def record(
    session: Session, services: Services, actor: Actor, act: str, subject: str, title: str | None = None, **detail: Any
) -> None:
    """`detail` holds figures and names, never secrets."""
    session.add(
        AuditEvent(
            id=new_id(),
            at=services.now(),
            who=actor.name,
            act=act,
            subject=subject,
            title=title,
            detail=detail,
            request_id=actor.request_id,
        )
    )


def list_events(services: Services, query: EventQuery) -> Page[Event]:
    """Newest first."""
    rows = select(AuditEvent).order_by(AuditEvent.id.desc()).limit(query.limit + 1)
    if query.title:
        rows = rows.where(AuditEvent.title == query.title)
    if query.act:
        rows = rows.where(AuditEvent.act.startswith(query.act, autoescape=True))
    if query.cursor:
        rows = rows.where(AuditEvent.id < cursor_id(query.cursor))
    with services.db.transaction() as session:
        found = list(session.scalars(rows))
    return page_of(Page[Event], found, query.limit, _out, lambda e: str(e.id))


def _out(row: AuditEvent) -> Event:
    return Event(
        id=str(row.id),
        at=row.at,
        who=row.who,
        act=row.act,
        subject=row.subject,
        title=row.title,
        detail=row.detail,
        request_id=row.request_id,
    )
