"""Packs for players are kept while a build is live, and for some days after: whoever installs it anew takes them."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import delete, func, or_, select

from rampa.core.build.life import BuildState
from rampa.core.content.layout.life import LayoutState
from rampa.core.placement.life import LIVE
from rampa.db import BuildRow, LayoutPackRow, LayoutRow, PackRow, PlacementRow, placed_since, store_state
from rampa.operations.base import UnitOfWork
from rampa.schema import store as wire


def forget_layouts(uow: UnitOfWork) -> list[uuid.UUID]:
    """Drops those that nobody installs from any more; their packs are found idle then. Returns the builds."""
    since = uow.now - dt.timedelta(days=uow.services.layout.kept_days)
    # A build that another one replaced is gone back to within the days that it is watched.
    wanted = placed_since(since)
    ready = select(BuildRow.id).where(BuildRow.state == BuildState.READY)
    # One that was asked for by hand waits for its placement as long.
    over = or_(LayoutRow.build_id.not_in(ready), (LayoutRow.build_id.not_in(wanted)) & (LayoutRow.created_at <= since))
    stopped = (LayoutRow.state == LayoutState.STOPPED) & (LayoutRow.ended_at <= since)
    gone = list(uow.session.scalars(select(LayoutRow.build_id).where(or_(over, stopped))))
    if gone:
        uow.session.execute(delete(LayoutRow).where(LayoutRow.build_id.in_(gone)))
        store_state(uow.session, lock=True).epoch += 1
    return gone


def kept_for_players(uow: UnitOfWork) -> list[wire.KeptForPlayers]:
    """Which builds' packs there are, for whom, and until when; the newest builds first."""
    sizes = select(LayoutPackRow.build_id, func.sum(PackRow.size), func.count())
    sizes = sizes.join(PackRow, PackRow.digest == LayoutPackRow.pack_digest).group_by(LayoutPackRow.build_id)
    builds = {build: (int(size), count) for build, size, count in uow.session.execute(sizes)}
    rows = select(BuildRow).where(BuildRow.id.in_(builds)).order_by(BuildRow.completed_at.desc())
    out = []
    for build in uow.session.scalars(rows):
        placed = uow.session.scalars(select(PlacementRow).where(PlacementRow.build_id == build.id)).all()
        live = sorted({p.channel.name for p in placed if p.state in LIVE})
        ended = max((p.ended_at for p in placed if p.ended_at is not None), default=None)
        kept = dt.timedelta(days=uow.services.layout.kept_days)
        until = None if live or ended is None else ended + kept
        size, count = builds[build.id]
        out.append(wire.KeptForPlayers(name=build.name, size=size, packs=count, live_on=live, until=until))
    return out
