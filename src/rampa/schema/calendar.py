"""The studio's calendar: what ends when, agreements, one's own feed. Times UTC."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import StringConstraints

from rampa.core.calendar import EndingKind
from rampa.schema.common import Action, Note, Query, Slug, Wire, Words


class EndingOut(Wire):
    """`days`: whole days that are left, 0 from the day on. `mend`: the command that puts its end off."""

    kind: EndingKind
    words: str
    name: str
    title: str
    ends: dt.datetime
    days: int
    over: bool
    mend: str


class CalendarOut(Wire):
    """What ends first stands first. `feed`: whether one has a feed of one's own."""

    items: list[EndingOut]
    feed: bool
    reminded_at: list[int]
    allowed_actions: list[Action]


class NewAgreement(Wire):
    """`name` is short, as `northquay-terms`; `partner` with whom it is."""

    name: Slug
    partner: Words
    ends_at: dt.datetime
    note: Note = ""


class AgreementPath(Query):
    agreement: Slug


class FeedAddress(Wire):
    """Shown once: whoever has it reads the calendar."""

    address: str


class CalendarFeedPath(Query):
    secret: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_-]{20,80}$")]
