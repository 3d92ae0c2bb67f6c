"""A title's builds as a list: filtered, sorted, page by page."""

from __future__ import annotations

from sqlalchemy import Select, exists, or_, select, tuple_

from rampa.core.release import placement as placement_life
from rampa.db.builds import Build
from rampa.db.channels import Placement
from rampa.operations.context import Services
from rampa.operations.describing import live_channels, summary
from rampa.operations.paging import cursor_numbers, page_of
from rampa.operations.titles import find_title
from rampa.schema import builds as wire
from rampa.schema.common import Page


def list_builds(services: Services, slug: str, query: wire.BuildQuery) -> Page[wire.BuildSummary]:
    """Newest first, or largest first."""
    with services.db.transaction() as session:
        rows = _filtered(select(Build).where(Build.title_id == find_title(session, slug).id), query)
        by_size = query.sort == "size"
        order = (Build.size, Build.number) if by_size else (Build.number,)
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


def _filtered(rows: Select[Build], query: wire.BuildQuery) -> Select[Build]:
    equal = (
        (Build.profile, query.profile),
        (Build.platform, query.platform),
        (Build.purpose, query.purpose),
        (Build.state, query.state),
        (Build.version_name, query.version),
        (Build.pinned, query.pinned),
    )
    for column, value in equal:
        if value is not None:
            rows = rows.where(column == value)
    if query.branch:
        rows = rows.where(Build.ref == f"branch/{query.branch}")
    if query.placed is not None:
        live = exists().where(Placement.build_id == Build.id, Placement.state == placement_life.State.LIVE)
        rows = rows.where(live if query.placed else ~live)
    if query.search:
        like = {"autoescape": True}
        said = Build.notes.icontains(query.search, **like), Build.version_name.icontains(query.search, **like)
        rows = rows.where(or_(*said, Build.commit.startswith(query.search.lower(), autoescape=True)))
    return rows
