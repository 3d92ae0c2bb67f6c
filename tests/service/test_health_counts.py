"""Counts of health that are kept: whenever one looks, they are what counting all of it anew would give."""

from __future__ import annotations

import datetime as dt
import random
from collections import defaultdict
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import insert, select

from rampa.client import Client
from rampa.core.health.comparison import ALL, FIRST, Key, Part, Trouble
from rampa.core.health.sequential import Count
from rampa.core.health.spans import span_of
from rampa.db import BuildRow, HealthEventRow
from rampa.operations.base import begin
from rampa.operations.health import counts
from tests.clock import Clock
from tests.conftest import World
from tests.samples import add_key, build, import_title, make_folder

Asked = list[tuple[dt.datetime, dt.datetime]]


@pytest.fixture
def asked(monkeypatch: pytest.MonkeyPatch) -> Asked:
    """From when until when was counted in the database."""
    found: Asked = []
    plain = counts._counted

    def noted(*words) -> counts.Counts:  # type: ignore[no-untyped-def]
        if words[3] < words[4]:
            found.append((words[3], words[4]))
        return plain(*words)

    monkeypatch.setattr(counts, "_counted", noted)
    return found


@pytest.mark.parametrize("seed", range(3))
def test_at_any_moment_it_is_what_a_new_count_gives(
    world: World, client: Client, tmp_path: Path, asked: Asked, seed: int
) -> None:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    clock, draw = Clock(world), random.Random(seed)
    since, events = clock.now, list[dict[str, Any]]()
    with begin(world.services) as uow:
        ident = uow.session.scalars(select(BuildRow.id)).one()
    for _ in range(12):
        passed = draw.choice((4, 40, 400, 4000))
        clock.pass_(seconds=passed)
        with begin(world.services) as uow:
            # A report is written some time after it says that it was received.
            moments = [clock.now - dt.timedelta(seconds=draw.uniform(0, min(50, passed))) for _ in range(20)]
            events += [event(draw, ident, at) for at in moments]
            uow.session.execute(insert(HealthEventRow), events[-len(moments) :])
        asked.clear()
        with begin(world.services) as uow:
            kept = counts.counts_of(uow, ident, since, uow.now)
            spent = sum(((end - start) for start, end in asked), dt.timedelta())
            assert spent <= dt.timedelta(seconds=passed + 95), "what was counted is not counted again"
            whole = by_hand(events, since)
            assert kept == whole
    # One that ended earlier, and a clock that was put back: counted anew, and nothing else is disturbed.
    earlier = since + dt.timedelta(seconds=60)
    with begin(world.services) as uow:
        ended = counts.counts_of(uow, ident, since, earlier)
        assert ended == counts._counted(uow, ident, since, since, earlier + dt.timedelta(microseconds=1))
        assert counts.counts_of(uow, ident, since, uow.now) == whole


def by_hand(events: list[dict[str, Any]], since: dt.datetime) -> counts.Counts:
    found: dict[tuple[Key, int], Count] = defaultdict(Count)
    for one in events:
        if one["turn"] > FIRST or one["at"] < since:
            continue
        parts = [ALL, *(Part(w, one[n]) for w, n in (("class", "form"), ("level", "level")) if one[n])]
        for part in parts:
            found[Key(part, one["kind"], one["turn"]), span_of(since, one["received_at"])] += Count(int(one["bad"]), 1)
    return found


def event(draw: random.Random, ident: object, at: dt.datetime) -> dict[str, Any]:
    return {
        "build_id": ident,
        "device": f"{draw.getrandbits(128):032x}",
        "at": at,
        "received_at": at,
        "kind": draw.choice(list(Trouble)),
        "bad": draw.random() < 0.3,
        "form": draw.choice(("desk-1", "visor-2", "")),
        "level": draw.choice(("1", "")),
        "turn": draw.randint(1, 4),
    }
