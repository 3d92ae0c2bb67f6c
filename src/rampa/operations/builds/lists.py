"""A title's builds as a list: filtered, sorted, page by page."""

from __future__ import annotations

from sqlalchemy import Select, exists, or_, select, tuple_

from rampa.core.placement.life import PlacementState
from rampa.db.builds import BuildRow
from rampa.db.channels import PlacementRow
from rampa.operations.base.context import Services
from rampa.operations.base.pages import cursor_numbers, page_of
from rampa.operations.builds.views import live_channels, summary
from rampa.operations.titles.titles import find_title
from rampa.schema.builds import builds as wire
from rampa.schema.common import Page


def list_builds(services: Services, slug: str, query: wire.BuildQuery) -> Page[wire.BuildSummary]:
    """Newest first, or largest first."""
    with services.db.transaction() as session:
        rows = _filtered(select(BuildRow).where(BuildRow.title_id == find_title(session, slug).id), query)
        by_size = query.sort == "size"
        order = (BuildRow.size, BuildRow.number) if by_size else (BuildRow.number,)
        rows = rows.order_by(*(column.desc() for column in order)).limit(query.limit + 1)
        if query.cursor:
            rows = rows.where(tuple_(*order) < tuple(cursor_numbers(query.cursor, len(order))))
        found = list(session.scalars(rows))
        live = live_channels(session, found)
        return page_of(
            Page[wire.BuildSummary],
            found,
            query.limit,
            lambda b: summary(b, live.get(b.number, [])),
            lambda b: f"{b.size},{b.number}" if by_size else str(b.number),
        )


def _filtered(rows: Select[BuildRow], query: wire.BuildQuery) -> Select[BuildRow]:
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
        rows = rows.where(BuildRow.ref == f"branch/{query.branch}")
    if query.placed is not None:
        live = exists().where(PlacementRow.build_id == BuildRow.id, PlacementRow.state == PlacementState.LIVE)
        rows = rows.where(live if query.placed else ~live)
    if query.search:
        like = {"autoescape": True}
        said = BuildRow.notes.icontains(query.search, **like), BuildRow.version_name.icontains(query.search, **like)
        rows = rows.where(or_(*said, BuildRow.commit.startswith(query.search.lower(), autoescape=True)))
    return rows
