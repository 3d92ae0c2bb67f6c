"""The moments at which something changed on a line, for walking through the past."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import and_, func, select

from rampa.core.platform.table import line_title
from rampa.db import BuildRow, ChannelRow, LineRow, PlacementChangeRow, PlacementRow, TitleRow, storefront_titles
from rampa.operations.base import UnitOfWork
from rampa.schema import board as wire

CHANGES = 100
"""Moments of the past that are listed."""


def list_changes(uow: UnitOfWork, until: dt.datetime) -> list[wire.BoardChange]:
    """The newest until then; of those that one act made of a placement in the same moment, the last."""
    same = func.row_number().over(
        partition_by=(PlacementChangeRow.placement_id, PlacementChangeRow.at), order_by=PlacementChangeRow.id.desc()
    )
    numbered = (
        select(PlacementChangeRow.id, same.label("turn"))
        .where(PlacementChangeRow.at <= until)
        .order_by(PlacementChangeRow.at.desc())
        .limit(3 * CHANGES)
        .subquery()
    )
    of = (
        *(PlacementChangeRow.at, PlacementChangeRow.state, PlacementChangeRow.share, PlacementChangeRow.by),
        *(
            PlacementChangeRow.why,
            TitleRow.slug,
            ChannelRow.name,
            LineRow.platform,
            LineRow.storefront,
            BuildRow.number,
        ),
    )
    rows = (
        select(*of)
        .join(numbered, and_(numbered.c.id == PlacementChangeRow.id, numbered.c.turn == 1))
        .join(PlacementRow, PlacementRow.id == PlacementChangeRow.placement_id)
        .join(LineRow, LineRow.id == PlacementRow.line_id)
        .join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
        .join(BuildRow, BuildRow.id == PlacementRow.build_id)
        .join(TitleRow, TitleRow.id == BuildRow.title_id)
        .order_by(PlacementChangeRow.at.desc(), PlacementChangeRow.id.desc())
        .limit(CHANGES)
    )
    connected = storefront_titles(uow.session)
    return [
        wire.BoardChange(
            at=at,
            state=state,
            share=share / 10,
            by=by,
            why=why,
            title=slug,
            channel=channel,
            line=line_title(platform, storefront, connected),
            build=build,
        )
        for at, state, share, by, why, slug, channel, platform, storefront, build in uow.session.execute(rows)
    ]
