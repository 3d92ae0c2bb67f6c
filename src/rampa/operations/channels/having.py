"""Which builds a line's devices have, counted where they lie: a channel can have a hundred thousand devices."""

from __future__ import annotations

from sqlalchemy import func, select

from rampa.core.build.life import BuildState
from rampa.db import BuildRow, ChannelRow, DeviceRow
from rampa.operations.base import UnitOfWork

MOST_BUILDS = 12
"""The commonest ones."""


def builds_had(uow: UnitOfWork, channel: ChannelRow, build: BuildRow) -> list[tuple[BuildRow, int]]:
    """Builds other than this one that devices of its platform have there, and how many; those whose content is kept."""
    rows = (
        select(BuildRow.id, func.count())
        .join(DeviceRow, DeviceRow.build_id == BuildRow.id)
        .where(DeviceRow.channel_id == channel.id, DeviceRow.platform == build.platform)
        .where(BuildRow.id != build.id, BuildRow.state == BuildState.READY)
        .group_by(BuildRow.id)
        .order_by(func.count().desc())
        .limit(MOST_BUILDS)
    )
    return [(uow.session.get_one(BuildRow, ident), count) for ident, count in uow.session.execute(rows).all()]
