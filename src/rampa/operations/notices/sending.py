"""Sending what is due to webhooks, one after another; a target that does not take it is left alone for longer each time.

An event is put on its way by the database, in the transaction that records it (migration 0024).
"""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, select, update

from rampa.core.notices.cloud_event import Happening, encode, signed
from rampa.core.notices.delivery import TRANSITIONS, DeliveryEvent, DeliveryState, wait_after
from rampa.core.signing.seal import unseal
from rampa.core.transitions import advance
from rampa.db import DeliveryRow, WebhookRow, locked
from rampa.operations.base import Services, UnitOfWork, audit, begin
from rampa.operations.notices.webhooks import label
from rampa.store.outbound import Answer, Post

GONE = 410
"""The target says that it is there no more: the webhook is paused."""
KEPT_DAYS = 30


def send_due(services: Services, post: Post, most: int = 500) -> int:
    """So many at most; returns how many were tried. Killed in between, the one on its way is sent again, with the same number."""
    tried = 0
    while tried < most:
        with begin(services) as uow:
            due = (
                select(DeliveryRow)
                .join(WebhookRow, WebhookRow.id == DeliveryRow.webhook_id)
                .where(DeliveryRow.state == DeliveryState.WAITING, DeliveryRow.next_at <= uow.now)
                .where(WebhookRow.paused.is_(False))
                .order_by(DeliveryRow.next_at, DeliveryRow.event_id)
                .limit(1)
            )
            row = next(iter(locked(uow.session, due, skip=True)), None)
            if row is None:
                return tried
            _note(uow, row, _send(services, row, uow, post))
        tried += 1
    return tried


def _send(services: Services, row: DeliveryRow, uow: UnitOfWork, post: Post) -> Answer:
    webhook, event = row.webhook, row.event
    secret = unseal(webhook.sealed, services.master_key, label(webhook)).decode()
    happening = Happening(
        str(event.id), services.origin, event.act, event.subject, event.title or "", event.at, event.who, audit.said(event),
        event.detail,
    )  # fmt: skip
    body = encode(happening)
    return post(webhook.address, body, signed(secret, happening.id, uow.now, body))


def _note(uow: UnitOfWork, row: DeliveryRow, answer: Answer) -> None:
    row.tries += 1
    row.status, row.answer, row.milliseconds = answer.status, answer.said, answer.milliseconds
    row.tried_at = uow.now
    if answer.taken:
        row.state = advance(TRANSITIONS, row.state, DeliveryEvent.TAKE, "this delivery")
        return
    if answer.status == GONE:
        row.webhook.paused = True
    wait = wait_after(row.tries)
    if wait is None:
        row.state = advance(TRANSITIONS, row.state, DeliveryEvent.GIVE_UP, "this delivery")
        return
    row.state = advance(TRANSITIONS, row.state, DeliveryEvent.FAIL, "this delivery")
    row.next_at = uow.now + wait
    # The others of this target wait, too: a thousand events for one that is away would hold up everybody's.
    others = update(DeliveryRow).where(DeliveryRow.webhook_id == row.webhook_id, DeliveryRow.id != row.id)
    waiting = others.where(DeliveryRow.state == DeliveryState.WAITING, DeliveryRow.next_at < row.next_at)
    uow.session.execute(waiting.values(next_at=row.next_at))


def forget(services: Services) -> int:
    """What was taken or given up a month ago."""
    with begin(services) as uow:
        old = uow.now - dt.timedelta(days=KEPT_DAYS)
        over = delete(DeliveryRow).where(DeliveryRow.state != DeliveryState.WAITING, DeliveryRow.created_at < old)
        return len(uow.session.execute(over.returning(DeliveryRow.id)).all())
