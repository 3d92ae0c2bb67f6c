"""What was observed of a build, span by span. It goes by when reports were received: a span that is over is counted once and
kept in memory, so that a look at a rollout counts what came since the last one, however much came before.
"""

from __future__ import annotations

import datetime as dt
import threading
import uuid
from collections import OrderedDict, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from weakref import WeakKeyDictionary

from sqlalchemy import ColumnElement, Integer, case, cast, func, select

from rampa.core.health.comparison import ALL, FIRST, Key, Part
from rampa.core.health.sequential import Count
from rampa.core.health.spans import GRID, HOUR, SHORTEST
from rampa.db import Database, HealthEventRow
from rampa.operations.base import UnitOfWork

Counts = Mapping[tuple[Key, int], Count]
"""By what is counted together, and the span of time."""
SHORT = dt.timedelta(seconds=SHORTEST)
SETTLED = dt.timedelta(minutes=1)
"""A report is written at most so long after the moment that it says it was received."""
MOST = 200
"""Builds, each since a moment, whose counts are kept."""


@dataclass
class _Kept:
    until: dt.datetime
    counts: dict[tuple[Key, int], Count]


_kept: WeakKeyDictionary[Database, OrderedDict[tuple[uuid.UUID, dt.datetime], _Kept]] = WeakKeyDictionary()
_lock = threading.Lock()


def counts_of(uow: UnitOfWork, build: uuid.UUID, since: dt.datetime, until: dt.datetime) -> Counts:
    """What went wrong of each device's first observations, by span, over all devices and by class and level."""
    settled = since + max(0, (min(until, uow.now - SETTLED) - since) // SHORT) * SHORT
    before = _settled(uow, build, since, settled)
    found = defaultdict(Count, before)
    for key, count in _counted(uow, build, since, settled, until + dt.timedelta(microseconds=1)).items():
        found[key] += count
    return found


def _settled(uow: UnitOfWork, build: uuid.UUID, since: dt.datetime, until: dt.datetime) -> Counts:
    """Up to a moment after which nothing changes any more."""
    database, key = uow.services.db, (build, since)
    with _lock:
        kept = _kept.setdefault(database, OrderedDict()).get(key)
    if kept is not None and kept.until > until:
        return _counted(uow, build, since, since, until)
    counts = defaultdict(Count, kept.counts if kept else {})
    for span, count in _counted(uow, build, since, kept.until if kept else since, until).items():
        counts[span] += count
    with _lock:
        rows = _kept[database]
        rows[key] = _Kept(until, dict(counts))
        rows.move_to_end(key)
        if len(rows) > MOST:
            rows.popitem(last=False)
    return counts


def _counted(uow: UnitOfWork, build: uuid.UUID, since: dt.datetime, begin: dt.datetime, end: dt.datetime) -> Counts:
    """What was received from `begin` until before `end`."""
    if begin >= end:
        return {}
    seconds = cast(func.extract("epoch", func.date_bin(SHORT, HealthEventRow.received_at, since) - since), Integer)
    of = (HealthEventRow.kind, HealthEventRow.form, HealthEventRow.level, HealthEventRow.turn, _span(seconds))
    rows = (
        select(*of, func.count().filter(HealthEventRow.bad), func.count())
        .where(HealthEventRow.build_id == build)
        .where(HealthEventRow.received_at >= begin, HealthEventRow.received_at < end)
        .where(HealthEventRow.at >= since, HealthEventRow.turn <= FIRST)
        .group_by(*of)
    )
    found: dict[tuple[Key, int], Count] = defaultdict(Count)
    for kind, form, level, turn, span, wrong, total in uow.session.execute(rows):
        parts = [ALL] + [Part(word, name) for word, name in (("class", form), ("level", level)) if name]
        for part in parts:
            found[Key(part, kind, turn), span] += Count(wrong, total)
    return found


def _span(seconds: ColumnElement[int]) -> ColumnElement[int]:
    """`rampa.core.health.spans.span_of` in the database: whole seconds since the beginning to those of their span."""
    begins = [0, *(until for until, _ in GRID)]
    lengths = [*(length for _, length in GRID), HOUR]
    spans = [begin + (seconds - begin) // length * length for begin, length in zip(begins, lengths, strict=True)]
    whens = [(seconds < until, span) for (until, _), span in zip(GRID, spans, strict=False)]
    return case(*whens, else_=spans[-1])
