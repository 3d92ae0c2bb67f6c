"""Of what state of channels and content a title's delivery is made: it changes with whatever is to be signed anew."""

from __future__ import annotations

import hashlib
import uuid

from sqlalchemy import func, select

from rampa.core.delivery.line import MOST_ORIGINS, OriginPlace
from rampa.core.placement.life import LIVE
from rampa.core.trust.issue import Issued
from rampa.db import (
    BuildRow,
    ChannelRow,
    DeliveryOriginRow,
    DifferenceSetRow,
    PlacementRow,
    TitleRow,
    TrustPartRow,
    UnsealingKeyRow,
    store_state,
)
from rampa.operations.base import UnitOfWork


def title_marker(uow: UnitOfWork, title: uuid.UUID) -> str:
    """Changes with whatever a delivery is made of."""
    rows = select(ChannelRow).where(ChannelRow.title_id == title).order_by(ChannelRow.id)
    channels = [(c.id, c.version, c.name, c.audience) for c in uow.session.scalars(rows)]
    live = (
        select(PlacementRow.build_id)
        .join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
        .where(ChannelRow.title_id == title, PlacementRow.state.in_(LIVE))
        .distinct()
    )
    contents = [content_marker(uow, build) for build in sorted(uow.session.scalars(live))]
    reports = uow.session.scalar(select(TitleRow.reports).where(TitleRow.id == title))
    said = repr((channels, contents, reports, origin_places(uow, title)))
    return hashlib.sha256(said.encode()).hexdigest()


def content_marker(uow: UnitOfWork, build: uuid.UUID) -> tuple[object, ...]:
    """Of one build: differences made, for it and for those that a chain leads by, content moved, keys given out, signed again."""
    title = select(BuildRow.title_id).where(BuildRow.id == build).scalar_subquery()
    sets = select(func.count(), func.max(DifferenceSetRow.created_at), func.sum(DifferenceSetRow.size))
    sets = sets.join(BuildRow, BuildRow.id == DifferenceSetRow.new_id).where(BuildRow.title_id == title)
    made = uow.session.execute(sets.group_by(DifferenceSetRow.state).order_by(DifferenceSetRow.state)).all()
    unsealed = uow.session.scalar(select(UnsealingKeyRow.unsealed_at).where(UnsealingKeyRow.build_id == build))
    return build, tuple(tuple(row) for row in made), unsealed, store_state(uow.session).epoch


def any_due(uow: UnitOfWork, title: uuid.UUID) -> bool:
    parts = uow.session.scalars(select(TrustPartRow).where(TrustPartRow.title_id == title))
    return any(Issued(p.version, p.expires_at, b"").due(p.role, uow.now) for p in parts)


def origin_places(uow: UnitOfWork, title: uuid.UUID) -> tuple[OriginPlace, ...]:
    rows = select(DeliveryOriginRow).where(DeliveryOriginRow.title_id == title, DeliveryOriginRow.paused.is_(False))
    rows = rows.order_by(DeliveryOriginRow.priority, DeliveryOriginRow.name).limit(MOST_ORIGINS)
    return tuple(OriginPlace(row.address, row.priority) for row in uow.session.scalars(rows))
