"""Audit events."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any

from pydantic import StringConstraints

from rampa.schema.common import PageQuery, Slug, Wire, Words


class AuditEvent(Wire):
    """Who did what to what. `subject` is what people say aloud, such as `peatlight#14`.

    `sentence`: the act for people, without who did it, such as "placed peatlight#14 on studio". `more`: of the `detail`, what
    the sentence leaves out.
    """

    id: str
    at: dt.datetime
    who: str
    act: str
    subject: str
    title: str | None
    sentence: str
    detail: dict[str, Any]
    more: dict[str, Any]
    request_id: str


class Acts(Wire):
    """Everything that events say: `build.place`, `key.use`."""

    items: list[str]


class EventQuery(PageQuery):
    title: Slug | None = None
    who: Words | None = None
    """A person's name, as events show it."""
    day: dt.date | None = None
    """In UTC."""
    act: Annotated[str, StringConstraints(max_length=60, pattern=r"^[a-z.-]*$")] | None = None
