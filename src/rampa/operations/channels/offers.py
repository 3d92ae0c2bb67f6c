"""What a line's devices are to have: the same signed offer for all of them, made when the channel changes and kept until then.

A device that asks costs a look at the channel's number; nothing is written for it.
"""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import uuid
from itertools import takewhile

from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.placement.life import LIVE, PlacementState
from rampa.core.placement.share import OfferedBuild
from rampa.core.signing import offer as offer_format
from rampa.db import ChannelRow, LineRow, PlacementRow, TitleRow, find_channel, for_everybody
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.titles.titles import manifest_key
from rampa.schema import channels as wire

FRESH = dt.timedelta(hours=1)
"""An offer is signed again after this long: it ends a day after it was made."""
_offers = ResultCache(2000)


def get_offer(services: Services, slug: str, name: str, platform: str) -> wire.Offer:
    """What the devices of a line may be told. Raises `NotFound` when nothing is live."""
    with begin(services) as uow:
        channel = find_channel(uow.session, slug, name)
        return _offer(uow, channel, name, platform)


def get_public_offer(services: Services, identifier: str, name: str, platform: str) -> bytes:
    """The signed offer of a channel for everybody, by the title's identifier. Raises `NotFound` for all else alike."""
    with begin(services) as uow:
        found = for_everybody(uow.session, identifier, name)
        if found is None:
            raise NotFound("offer.none", "nothing is live there for everybody")
        return base64.b64decode(_offer(uow, found[0], name, platform).signed)


def _offer(uow: UnitOfWork, channel: ChannelRow, name: str, platform: str) -> wire.Offer:
    """By the name that the device asks with: it takes no other's."""
    services = uow.services
    hour = int(uow.now.timestamp() // FRESH.total_seconds())
    key = (services.store, channel.id, channel.version, name, platform, hour)
    return _offers.get(key, lambda: _made(uow, channel, name, platform))


def _made(uow: UnitOfWork, channel: ChannelRow, name: str, platform: str) -> wire.Offer:
    live = live_on_line(uow, channel.id, platform)
    title = uow.session.get_one(TitleRow, channel.title_id)
    if not live:
        hint = f"Place a build: `rampa channel place {title.slug}#N --on {name}`."
        raise NotFound("offer.none", f"nothing is live on {name} of {title.slug} for {platform}", hint=hint)
    offer = offer_format.Offer(
        title=title.identifier,
        channel=name,
        platform=platform,
        number=channel.version,
        builds=tuple(offered_build(p) for p in live),
        made_at=uow.now,
        expires_at=uow.now + offer_format.LIFE,
        reports=title.reports,
    )
    signed = offer_format.sign(offer, manifest_key(uow.services, title))
    return wire.Offer(
        title=title.slug,
        builds=[_build(p) for p in live],
        expires_at=offer.expires_at,
        signed=base64.b64encode(signed).decode(),
    )


def live_on_line(uow: UnitOfWork, channel: uuid.UUID, platform: str) -> list[PlacementRow]:
    """Newest first, down to the newest one that every device gets; what storefronts deliver is theirs to offer."""
    rows = (
        select(PlacementRow)
        .join(LineRow, LineRow.id == PlacementRow.line_id)
        .where(PlacementRow.channel_id == channel, LineRow.platform == platform, PlacementRow.state.in_(LIVE))
        .where(PlacementRow.submission_id.is_(None))
        .order_by(PlacementRow.number.desc())
        .limit(offer_format.MOST_BUILDS)
    )
    found = list(uow.session.scalars(rows))
    parts = list(takewhile(lambda p: p.state != PlacementState.WHOLE, found))
    return [p for p in found[: len(parts) + 1] if p.share]


def offered_build(placement: PlacementRow) -> OfferedBuild:
    return OfferedBuild(
        build=placement.build.number,
        code=placement.build.version_code,
        statement=hashlib.sha256(placement.build.content.statement or b"").hexdigest(),
        rollout=str(placement.id),
        share=placement.share,
        held=placement.state == PlacementState.HELD,
        back=placement.back,
    )


def _build(placement: PlacementRow) -> wire.OfferedBuild:
    return wire.OfferedBuild(
        build=placement.build.number,
        name=placement.build.name,
        version_name=placement.build.version_name,
        version_code=placement.build.version_code,
        share=placement.share / 10,
        placed_at=placement.created_at,
    )
