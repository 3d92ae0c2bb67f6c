"""A title's builds as a list: filtered, sorted, page by page."""

from __future__ import annotations

from sqlalchemy import Select, exists, or_, select, tuple_
from sqlalchemy.orm import contains_eager

from rampa.core.build.life import BuildState
from rampa.core.placement.life import LIVE
from rampa.db import BuildContentRow, BuildOriginRow, BuildRow, PlacementRow, find_title, live_channels
from rampa.operations.base import Services, begin, cursor_numbers, page_of
from rampa.operations.builds.views import summary
from rampa.schema.builds import builds as wire
from rampa.schema.common import Page


def list_builds(services: Services, slug: str, query: wire.BuildQuery) -> Page[wire.BuildSummary]:
    """Newest first, or largest first."""
    with begin(services) as uow:
        rows = _filtered(_whole().where(BuildRow.title_id == find_title(uow.session, slug).id), query)
        by_size = query.sort == "size"
        order = (BuildContentRow.size, BuildRow.number) if by_size else (BuildRow.number,)
        rows = rows.order_by(*(column.desc() for column in order)).limit(query.limit + 1)
        if query.cursor:
            rows = rows.where(tuple_(*order) < tuple(cursor_numbers(query.cursor, len(order))))
        found = list(uow.session.scalars(rows))
        live = live_channels(uow.session, found)
        return page_of(
            Page[wire.BuildSummary],
            found,
            query.limit,
            lambda b: summary(b, live.get(b.number, [])),
            lambda b: f"{b.content.size},{b.number}" if by_size else str(b.number),
        )


def _whole() -> Select[BuildRow]:
    """Builds with the records that lists sort and filter by, each joined once."""
    rows = select(BuildRow).join(BuildRow.made).join(BuildRow.content)
    return rows.options(contains_eager(BuildRow.made), contains_eager(BuildRow.content))


def _filtered(rows: Select[BuildRow], query: wire.BuildQuery) -> Select[BuildRow]:
    if query.state is None:
        # To try a commit opens a build and lets it go: nobody looks for those here.
        rows = rows.where(or_(BuildRow.state != BuildState.ABANDONED, BuildOriginRow.why != "bisect"))
    equal = (
        (BuildRow.profile, query.profile),
        (BuildRow.platform, query.platform),
        (BuildRow.purpose, query.purpose),
        (BuildRow.state, query.state),
        (BuildRow.version_name, query.version),
        (BuildRow.pinned, query.pinned),
    )
    for column, value in equal:
        if value is not None:
            rows = rows.where(column == value)
    if query.branch:
        rows = rows.where(BuildOriginRow.ref == f"branch/{query.branch}")
    if query.placed is not None:
        live = exists().where(PlacementRow.build_id == BuildRow.id, PlacementRow.state.in_(LIVE))
        rows = rows.where(live if query.placed else ~live)
    if query.search:
        like = {"autoescape": True}
        said = BuildRow.notes.icontains(query.search, **like), BuildRow.version_name.icontains(query.search, **like)
        rows = rows.where(or_(*said, BuildOriginRow.commit.startswith(query.search.lower(), autoescape=True)))
    return rows
