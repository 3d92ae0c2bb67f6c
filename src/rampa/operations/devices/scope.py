"""What a device may touch: itself, the channel that it follows, and the builds that are live there for its platform."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rampa.core.errors import NotFound
from rampa.db import BuildRow, DeviceRow, TitleRow, live_there
from rampa.operations.base import Actor, Services, UnitOfWork, begin


def must_follow(services: Services, actor: Actor, asked: Mapping[str, Any]) -> None:
    """`asked`: the parts of an address: title, channel, device, build. Raises `NotFound`, for what is not for this device as for
    what is not there."""
    with begin(services, actor) as uow:
        row = uow.session.get(DeviceRow, actor.principal)
        if row is None or not _is_its_own(uow, row, asked):
            raise NotFound("device.scope", f"there is nothing there for {actor.name}")


def _is_its_own(uow: UnitOfWork, row: DeviceRow, asked: Mapping[str, Any]) -> bool:
    title = uow.session.get_one(TitleRow, row.title_id)
    if asked.get("title", title.slug) != title.slug or asked.get("device", row.name) != row.name:
        return False
    if asked.get("channel", row.channel.name) not in (row.channel.name, *row.channel.former):
        return False
    if "build" not in asked or (row.build is not None and row.build.number == asked["build"]):
        return True
    live = live_there(row.channel_id, asked["build"]).where(BuildRow.platform == row.platform)
    return uow.session.scalar(live) is not None
