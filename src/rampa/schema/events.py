"""Audit events."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any

from pydantic import StringConstraints

from rampa.schema.common import PageQuery, Slug, Wire


class AuditEvent(Wire):
    """Who did what to what. `subject` is what people say aloud, such as `peatlight#14`."""

    id: str
    at: dt.datetime
    who: str
    act: str
    subject: str
    title: str | None
    detail: dict[str, Any]
    request_id: str


class EventQuery(PageQuery):
    title: Slug | None = None
    act: Annotated[str, StringConstraints(max_length=60, pattern=r"^[a-z.-]*$")] | None = None
