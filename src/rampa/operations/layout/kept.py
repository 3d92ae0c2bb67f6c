"""Packs for players are kept while a build is live, and for some days after: whoever installs it anew takes them."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import delete, or_, select

from rampa.core.build.life import BuildState
from rampa.core.content.layout.life import LayoutState
from rampa.core.placement.life import LIVE, PlacementState
from rampa.db import BuildRow, LayoutRow, PlacementRow, store_state
from rampa.operations.base import UnitOfWork


def forget_layouts(uow: UnitOfWork) -> list[uuid.UUID]:
    """Drops those that nobody installs from any more; their packs are found idle then. Returns the builds."""
    since = uow.now - dt.timedelta(days=uow.services.layout.kept_days)
    # A build that another one replaced is gone back to within the days that it is watched.
    replaced = (PlacementRow.state == PlacementState.SUPERSEDED) & (PlacementRow.ended_at > since)
    wanted = select(PlacementRow.build_id).where(or_(PlacementRow.state.in_(LIVE), replaced))
    ready = select(BuildRow.id).where(BuildRow.state == BuildState.READY)
    # One that was asked for by hand waits for its placement as long.
    over = or_(LayoutRow.build_id.not_in(ready), (LayoutRow.build_id.not_in(wanted)) & (LayoutRow.created_at <= since))
    stopped = (LayoutRow.state == LayoutState.STOPPED) & (LayoutRow.ended_at <= since)
    gone = list(uow.session.scalars(select(LayoutRow.build_id).where(or_(over, stopped))))
    if gone:
        uow.session.execute(delete(LayoutRow).where(LayoutRow.build_id.in_(gone)))
        store_state(uow.session, lock=True).epoch += 1
    return gone
