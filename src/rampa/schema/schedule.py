"""Scheduled placements: at a moment, or when gates open."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field

from rampa.core.placement.schedule import ScheduledState
from rampa.schema.channels import PlanText, Share
from rampa.schema.common import Action, Number, Query, Slug, Wire
from rampa.schema.titles.titles import TitlePath


class ScheduledPath(TitlePath):
    scheduled: Number


class ScheduledQuery(Query):
    """Those that wait, and those that were refused of late and did not go since. `over`: also all that are done or cancelled."""

    over: bool = False
    limit: Annotated[int, Field(ge=1, le=200)] = 50


class NewScheduled(Wire):
    """A build or a release. `at`: the moment, with its zone; null: when the channel's gates open."""

    channel: Slug
    build: Number | None = None
    release: Number | None = None
    share: Share | None = None
    plan: PlanText = ""
    at: dt.datetime | None = None


class MoveScheduled(Wire):
    at: dt.datetime | None


class Scheduled(Wire):
    """`what`: the build or release. `said`: what it waits for, or why it was refused."""

    number: int
    title: str
    channel: str
    what: str
    build: int | None
    release: int | None
    share: float | None
    plan: str
    at: dt.datetime | None
    by: str
    state: ScheduledState
    said: str
    created_at: dt.datetime
    ended_at: dt.datetime | None
    allowed_actions: list[Action]


class ScheduledList(Wire):
    items: list[Scheduled]
