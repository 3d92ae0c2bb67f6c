"""Webhooks of a title: made with a secret that is shown once, changed, paused, removed; what is on its way, sent again."""

from __future__ import annotations

import base64
import uuid

from sqlalchemy import func, select

from rampa.core.errors import Conflict, NotFound
from rampa.core.notices.delivery import TRANSITIONS, DeliveryEvent, DeliveryState
from rampa.core.signing.seal import seal
from rampa.core.transitions import advance, possible
from rampa.db import DeliveryRow, WebhookRow, find_title, find_webhook
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin
from rampa.operations.base.pages import cursor_id, page_of
from rampa.operations.base.policy import from_events
from rampa.schema import notices as wire
from rampa.schema.common import Page
from rampa.store.guarded import check_address

SECRET_BYTES = 32
PREFIX = "whsec_"
"""By the Standard Webhooks specification 1.0."""


def list_webhooks(services: Services, slug: str) -> wire.Webhooks:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = select(WebhookRow).where(WebhookRow.title_id == title.id).order_by(WebhookRow.name)
        return wire.Webhooks(items=[wire.Webhook(**_fields(uow, row)) for row in uow.session.scalars(rows)])


def add_webhook(services: Services, actor: Actor, slug: str, asked: wire.NewWebhook) -> wire.MadeWebhook:
    """Raises `Invalid` for an address that is none; whether something answers there shows with the first event."""
    check_address(asked.address)
    secret = PREFIX + base64.b64encode(services.random(SECRET_BYTES)).decode()
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        there = select(WebhookRow.id).where(WebhookRow.title_id == title.id, WebhookRow.name == asked.name)
        if uow.session.scalar(there) is not None:
            raise Conflict("webhook.exists", f"{slug} has a webhook {asked.name} already", where="name")
        row = WebhookRow(
            title_id=title.id, name=asked.name, address=asked.address, acts=list(asked.acts), sealed=b"", paused=False,
            made_by=actor.name, created_at=uow.now,
        )  # fmt: skip
        uow.session.add(row)
        uow.session.flush()
        row.sealed = seal(secret.encode(), services.master_key, label(row), services.random)
        audit.record(uow, "webhook.add", asked.name, slug)
        uow.session.flush()
        return wire.MadeWebhook(**_fields(uow, row), secret=secret)


def change_webhook(services: Services, actor: Actor, slug: str, name: str, asked: wire.WebhookChange) -> wire.Webhook:
    if asked.address is not None:
        check_address(asked.address)
    with begin(services, actor) as uow:
        row = find_webhook(uow.session, slug, name, lock=True)
        if asked.address is not None:
            row.address = asked.address
        if asked.acts is not None:
            row.acts = list(asked.acts)
        if asked.address is not None or asked.acts is not None:
            audit.record(uow, "webhook.change", name, slug)
        if asked.paused is not None and asked.paused != row.paused:
            row.paused = asked.paused
            audit.record(uow, "webhook.pause" if asked.paused else "webhook.resume", name, slug)
        uow.session.flush()
        return wire.Webhook(**_fields(uow, row))


def remove_webhook(services: Services, actor: Actor, slug: str, name: str) -> None:
    """With what is on its way."""
    with begin(services, actor) as uow:
        row = find_webhook(uow.session, slug, name, lock=True)
        uow.session.delete(row)
        uow.session.flush()
        audit.record(uow, "webhook.remove", name, slug)


def list_deliveries(
    services: Services, actor: Actor, slug: str, name: str, query: wire.DeliveryQuery
) -> Page[wire.Delivery]:
    """Newest event first."""
    with begin(services, actor) as uow:
        row = find_webhook(uow.session, slug, name)
        rows = select(DeliveryRow).where(DeliveryRow.webhook_id == row.id)
        if query.state:
            rows = rows.where(DeliveryRow.state == DeliveryState(query.state))
        if query.cursor:
            rows = rows.where(DeliveryRow.event_id < cursor_id(query.cursor))
        found = list(uow.session.scalars(rows.order_by(DeliveryRow.event_id.desc()).limit(query.limit + 1)))
        return page_of(Page[wire.Delivery], found, query.limit, lambda d: _delivery(uow, d), lambda d: str(d.event_id))


def resend(services: Services, actor: Actor, slug: str, name: str, delivery: str) -> wire.Delivery:
    """The same event with the same number: a target that has it knows it by that."""
    with begin(services, actor) as uow:
        webhook = find_webhook(uow.session, slug, name)
        row = uow.session.get(DeliveryRow, uuid.UUID(delivery), with_for_update={"of": DeliveryRow})
        if row is None or row.webhook_id != webhook.id:
            raise NotFound("delivery.unknown", f"{name} has no such delivery", where="delivery")
        row.state = advance(TRANSITIONS, row.state, DeliveryEvent.RESEND, "this delivery")
        row.tries, row.next_at = 0, uow.now
        uow.session.flush()
        return _delivery(uow, row)


def label(row: WebhookRow) -> str:
    return f"webhook:{row.id}"


def _fields(uow: UnitOfWork, row: WebhookRow) -> dict[str, object]:
    of = select(DeliveryRow.state, func.count()).where(DeliveryRow.webhook_id == row.id).group_by(DeliveryRow.state)
    counts = {state: count for state, count in uow.session.execute(of)}
    tried = select(DeliveryRow).where(DeliveryRow.webhook_id == row.id, DeliveryRow.tried_at.is_not(None))
    last = uow.session.scalar(tried.order_by(DeliveryRow.tried_at.desc()).limit(1))
    return {
        "name": row.name, "address": row.address, "acts": list(row.acts), "paused": row.paused,
        "waiting": counts.get(DeliveryState.WAITING, 0), "given_up": counts.get(DeliveryState.GIVEN_UP, 0),
        "last_at": last.tried_at if last else None, "last_status": last.status if last else 0,
        "last_said": last.answer[:200] if last else "", "made_by": row.made_by, "created_at": row.created_at,
    }  # fmt: skip


def _delivery(uow: UnitOfWork, row: DeliveryRow) -> wire.Delivery:
    event = row.event
    offered = {DeliveryEvent.RESEND: Act.MANAGE_WEBHOOKS}
    return wire.Delivery(
        id=str(row.id),
        act=event.act,
        sentence=audit.said(event),
        at=event.at,
        state=row.state,
        tries=row.tries,
        status=row.status,
        answer=row.answer,
        milliseconds=row.milliseconds,
        tried_at=row.tried_at,
        next_at=row.next_at,
        allowed_actions=from_events(uow.actor, row.state, possible(TRANSITIONS, row.state), offered),
    )
