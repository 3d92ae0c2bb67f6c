"""Webhooks: where events of a title are sent, and what came of it."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.notices.delivery import DeliveryState
from rampa.schema.common import Action, Id, PageQuery, Slug, Wire
from rampa.schema.titles.titles import TitlePath

Act = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z-]{0,30}(\.[a-z-]{0,30})?$")]


class WebhookPath(TitlePath):
    webhook: Slug


class DeliveryPath(WebhookPath):
    delivery: Id


class NewWebhook(Wire):
    """`acts`: beginnings of acts, such as `build.` or `run.fail`; none for all of the title's events."""

    name: Slug
    address: Annotated[str, StringConstraints(max_length=1000, pattern=r"^[\x21-\x7e]+$")]
    acts: Annotated[list[Act], Field(max_length=50)] = []


class WebhookChange(Wire):
    """What is to change; the rest stays. Paused, events wait; they go when it goes on."""

    address: Annotated[str, StringConstraints(max_length=1000, pattern=r"^[\x21-\x7e]+$")] | None = None
    acts: Annotated[list[Act], Field(max_length=50)] | None = None
    paused: bool | None = None


class Webhook(Wire):
    """`waiting` events that are on their way, `given_up` that nothing tries any more; `last_status` 0: no answer."""

    name: str
    address: str
    acts: list[str]
    paused: bool
    waiting: int
    given_up: int
    last_at: dt.datetime | None
    last_status: int
    last_said: str
    made_by: str
    created_at: dt.datetime


class Webhooks(Wire):
    items: list[Webhook]


class MadeWebhook(Webhook):
    """`secret` checks what is sent (Standard Webhooks 1.0); it is shown this once."""

    secret: str


class Delivery(Wire):
    """One event on its way. `answer`: what the target said last, or why it was not reached."""

    id: str
    act: str
    sentence: str
    at: dt.datetime
    state: DeliveryState
    tries: int
    status: int
    answer: str
    milliseconds: int
    tried_at: dt.datetime | None
    next_at: dt.datetime
    allowed_actions: list[Action]


class DeliveryQuery(PageQuery):
    state: Literal["", "waiting", "taken", "given-up"] = ""
