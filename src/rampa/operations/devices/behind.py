"""Builds that a device cannot run because it came after their grant; and signing them again for it, in one act."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Iterable

from sqlalchemy import select

from rampa.core.errors import Conflict
from rampa.core.placement.life import LIVE
from rampa.core.platform.table import PLATFORMS
from rampa.db import BuildRow, DeviceRow, LineRow, PlacementRow, find_build, find_device
from rampa.operations.base import Act, Actor, Services, UnitOfWork, begin, must
from rampa.operations.signing import grants
from rampa.schema.signing import grants as wire


def builds_behind(uow: UnitOfWork, devices: Iterable[DeviceRow]) -> dict[uuid.UUID, list[BuildRow]]:
    """Device -> live builds of its channel and platform whose grant does not list it, newest first."""
    restricted = [d for d in devices if PLATFORMS[d.platform].needs_grant]
    if not restricted:
        return {}
    rows = (
        select(PlacementRow)
        .join(LineRow, LineRow.id == PlacementRow.line_id)
        .where(PlacementRow.channel_id.in_({d.channel_id for d in restricted}), PlacementRow.state.in_(LIVE))
        .where(LineRow.platform.in_({d.platform for d in restricted}))
        .order_by(PlacementRow.number.desc())
    )
    live: dict[tuple[uuid.UUID, str], list[BuildRow]] = defaultdict(list)
    listed: dict[uuid.UUID, frozenset[str]] = {}
    for row in uow.session.scalars(rows):
        if grants.is_restricted(row.build):
            live[row.channel_id, row.line.platform].append(row.build)
            listed[row.build.id] = grants.listed_devices(uow, row.build)
    found = {d.id: [b for b in live[d.channel_id, d.platform] if d.name not in listed[b.id]] for d in restricted}
    return {device: builds for device, builds in found.items() if builds}


def re_sign_for(services: Services, actor: Actor, slug: str, name: str) -> wire.ReSignedFor:
    """Every live build of its channel that it cannot run: with the newest grant where that lists it, else with a new one of all
    devices. Raises `Conflict` where there is none; what signing asks for, the identity's being unlocked among it, holds."""
    must(actor, Act.MAKE_GRANT)
    with begin(services, actor) as uow:
        device = find_device(uow.session, slug, name)
        behind = builds_behind(uow, [device]).get(device.id, [])
    if not behind:
        raise Conflict("device.runs", f"{name} can run everything that is live on {device.channel.name}")
    signed = []
    for build in behind:
        with begin(services, actor) as uow:
            row = find_build(uow.session, slug, build.number)
            newest = grants.newest_for(uow, row)
        if newest is None or name not in newest.devices:
            grants.make_grant(services, actor, slug, wire.NewGrant(profile=build.profile))
        signed.append(grants.re_sign(services, actor, slug, build.number, wire.ReSignIn()))
    return wire.ReSignedFor(device=name, items=signed)
