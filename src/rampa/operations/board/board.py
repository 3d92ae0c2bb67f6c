"""The board, in a handful of queries however many titles there are. The past is read from what was kept of each change."""

from __future__ import annotations

import datetime as dt
import uuid
from collections import defaultdict
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from sqlalchemy import Row, exists, or_, select, true
from sqlalchemy.dialects.postgresql import distinct_on

from rampa.core.build.life import BuildState
from rampa.core.placement.life import LIVE, PlacementState
from rampa.core.placement.plan import next_step, waits_for
from rampa.core.placement.schedule import ScheduledState
from rampa.core.platform.table import line_title
from rampa.core.run.life import RunState
from rampa.db import (
    BuildOriginRow,
    BuildRow,
    ChannelRow,
    LineRow,
    PlacementChangeRow,
    PlacementRow,
    ReleaseRow,
    RunRow,
    ScheduledRow,
    TitleRow,
    pending,
    storefront_titles,
)
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.board.changes import list_changes
from rampa.operations.board.reviews import Before, before_reviewers
from rampa.schema import board as wire


class Line(NamedTuple):
    title: uuid.UUID
    platform: str
    storefront: str


@dataclass
class _Seen:
    """What stands in the cells, and what waits for each platform of a title."""

    cells: dict[tuple[Line, uuid.UUID], list[wire.BoardBuild]] = field(default_factory=lambda: defaultdict(list))
    lines: dict[uuid.UUID, dict[Line, None]] = field(default_factory=lambda: defaultdict(dict))
    waits: dict[tuple[uuid.UUID, str], tuple[int, str]] = field(default_factory=dict)
    stops: dict[tuple[uuid.UUID, str], str] = field(default_factory=dict)
    reviews: Before = field(default_factory=dict)
    storefronts: dict[str, str] = field(default_factory=dict)
    scheduled: dict[uuid.UUID, list[wire.BoardScheduled]] = field(default_factory=lambda: defaultdict(list))


def get_board(services: Services, actor: Actor, query: wire.BoardQuery) -> wire.Board:
    """The same for everybody who may read: nothing in it is of the one who asks."""
    with begin(services, actor) as uow:
        at = min(query.at or uow.now, uow.now)
        past = query.at is not None and query.at < uow.now
        seen = _Seen(storefronts=storefront_titles(uow.session))
        _live(uow, seen, at, past=past)
        if not past:
            _waiting(uow, seen)
            seen.reviews = before_reviewers(uow)
            _scheduled(uow, seen)
        titles = list(uow.session.scalars(select(TitleRow).where(TitleRow.created_at <= at).order_by(TitleRow.name)))
        channels = _channels(uow)
        return wire.Board(
            at=at,
            titles=[_title(title, channels[title.id], seen) for title in titles],
            changes=list_changes(uow, at if past else uow.now),
        )


def _live(uow: UnitOfWork, seen: _Seen, at: dt.datetime, *, past: bool) -> None:
    """The last change of each placement until then, where that left it live."""
    last = (
        select(PlacementChangeRow)
        .where(PlacementChangeRow.placement_id == PlacementRow.id, PlacementChangeRow.at <= at)
        .order_by(PlacementChangeRow.at.desc(), PlacementChangeRow.id.desc())
        .limit(1)
        .lateral("last")
    )
    of = (
        *(last.c.state, last.c.share, last.c.at.label("changed_at"), last.c.why),
        *(PlacementRow.number.label("placement"), PlacementRow.created_at, PlacementRow.placed_by),
        *(PlacementRow.channel_id, PlacementRow.plan, PlacementRow.next_at, PlacementRow.verdict),
        *(PlacementRow.health_said, LineRow.platform, LineRow.storefront, BuildRow.title_id),
        *(BuildRow.number.label("build"), BuildRow.version_name, ReleaseRow.number.label("release")),
    )
    rows = (
        select(*of)
        .select_from(PlacementRow)
        .join(last, true())
        .join(LineRow, LineRow.id == PlacementRow.line_id)
        .join(BuildRow, BuildRow.id == PlacementRow.build_id)
        .outerjoin(ReleaseRow, ReleaseRow.id == PlacementRow.release_id)
        # Without what was over by then: what was ever placed is much more than what was live at once.
        .where(PlacementRow.created_at <= at, or_(PlacementRow.ended_at.is_(None), PlacementRow.ended_at > at))
        .where(last.c.state.in_(LIVE))
        .order_by(PlacementRow.number.desc())
    )
    for row in uow.session.execute(rows):
        line = Line(row.title_id, row.platform, row.storefront)
        seen.lines[line.title][line] = None
        seen.cells[line, row.channel_id].append(_build(row, past=past))


def _build(row: Row[Any], *, past: bool) -> wire.BoardBuild:
    growing = row.state in (PlacementState.PLACED, PlacementState.GROWING)
    step = next_step(row.plan, row.share) if row.plan and growing and not past else None
    return wire.BoardBuild(
        build=row.build,
        version_name=row.version_name,
        placement=row.placement,
        release=row.release or 0,
        state=row.state,
        share=row.share / 10,
        since=row.created_at,
        placed_by=row.placed_by,
        changed_at=row.changed_at,
        why=row.why,
        verdict=None if past else row.verdict,
        health_said="" if past else row.health_said,
        next_share=step.share / 10 if step else None,
        next_at=row.next_at if step else None,
        waits=waits_for(row.plan, row.share, row.verdict) if step else "",
    )


def _waiting(uow: UnitOfWork, seen: _Seen) -> None:
    """The newest build of each platform that was never placed, and whether the newest run failed; releases alone."""
    placed = exists().where(PlacementRow.build_id == BuildRow.id)
    builds = (
        select(BuildRow.title_id, BuildRow.platform, BuildRow.number, BuildRow.version_name, placed)
        .join(BuildOriginRow, BuildOriginRow.build_id == BuildRow.id)
        .where(BuildRow.purpose == "release", BuildRow.state == BuildState.READY, BuildOriginRow.content_of == 0)
        .ext(distinct_on(BuildRow.title_id, BuildRow.platform))
        .order_by(BuildRow.title_id, BuildRow.platform, BuildRow.number.desc())
    )
    for title, platform, number, version, is_placed in uow.session.execute(builds):
        if not is_placed:
            seen.waits[title, platform] = (number, version)
    runs = (
        select(RunRow.title_id, RunRow.platform, RunRow.number, RunRow.state, RunRow.cause)
        .where(RunRow.purpose == "release")
        .ext(distinct_on(RunRow.title_id, RunRow.platform))
        .order_by(RunRow.title_id, RunRow.platform, RunRow.number.desc())
    )
    for title, platform, number, state, cause in uow.session.execute(runs):
        if state == RunState.FAILED:
            seen.stops[title, platform] = f"run {number} failed" + (f": {cause.sentence}" if cause else "")


def _scheduled(uow: UnitOfWork, seen: _Seen) -> None:
    """Soonest first; what was refused of late comes first of all, unless it was placed since."""
    rows = select(ScheduledRow).where(pending(uow.now))
    for row in uow.session.scalars(rows.order_by(ScheduledRow.state, ScheduledRow.at.asc().nulls_last()).limit(500)):
        seen.scheduled[row.title_id].append(
            wire.BoardScheduled(
                number=row.number,
                what=row.what,
                build=row.build.number if row.build else None,
                release=row.release.number if row.release else None,
                channel=row.channel.name,
                at=row.at,
                refused=row.state == ScheduledState.REFUSED,
                said=row.said,
            )
        )


def _channels(uow: UnitOfWork) -> dict[uuid.UUID, list[ChannelRow]]:
    found: dict[uuid.UUID, list[ChannelRow]] = defaultdict(list)
    for channel in uow.session.scalars(select(ChannelRow).order_by(ChannelRow.position)):
        found[channel.title_id].append(channel)
    return found


def _title(title: TitleRow, channels: list[ChannelRow], seen: _Seen) -> wire.BoardTitle:
    # What only waits has a line, too: it has no storefront before it is placed.
    there = {line.platform for line in seen.lines[title.id]}
    waiting = {platform for of, platform in (*seen.waits, *seen.stops, *seen.reviews) if of == title.id} - there
    lines = [*seen.lines[title.id], *(Line(title.id, platform, "") for platform in waiting)]
    return wire.BoardTitle(
        slug=title.slug,
        name=title.name,
        identifier=title.identifier,
        channels=[c.name for c in channels],
        lines=[_line(line, channels, seen) for line in sorted(lines)],
        scheduled=seen.scheduled[title.id],
    )


def _line(line: Line, channels: list[ChannelRow], seen: _Seen) -> wire.BoardLine:
    waits, version = seen.waits.get((line.title, line.platform), (0, ""))
    return wire.BoardLine(
        platform=line.platform,
        storefront=line.storefront,
        line=line_title(line.platform, line.storefront, seen.storefronts),
        cells=[wire.BoardCell(channel=c.name, builds=seen.cells.get((line, c.id), [])) for c in channels],
        waits=waits,
        waits_version=version,
        stops=seen.stops.get((line.title, line.platform), ""),
        reviews=seen.reviews.get((line.title, line.platform), []),
    )
