"""Devices: registering them, and what they say of themselves."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.platform.table import PLATFORMS
from rampa.db import DeviceRow, TitleRow, find_build, find_channel, find_title
from rampa.operations.base import Actor, Once, Services, UnitOfWork, audit, begin, once
from rampa.schema import devices as wire


def register(services: Services, actor: Actor, slug: str, asked: wire.NewDevice, key: Once | None) -> wire.Device:
    if asked.platform not in PLATFORMS:
        raise Invalid(
            "platform.unknown",
            f"there is no platform {asked.platform!r}",
            where="platform",
            hint=f"There is: {', '.join(PLATFORMS)}.",
        )

    def make() -> wire.Device:
        title = find_title(uow.session, slug)
        channel = find_channel(uow.session, slug, asked.channel)
        if _find(uow, title, asked.name):
            raise Conflict("device.exists", f"{slug} has a device {asked.name!r} already", where="name")
        row = DeviceRow(
            title_id=title.id,
            name=asked.name,
            platform=asked.platform,
            channel=channel,
            number=asked.number,
            simulated=asked.simulated,
            registered_by=actor.name,
            created_at=services.now(),
            downloaded=0,
        )
        uow.session.add(row)
        uow.session.flush()
        audit.record(uow, "device.register", asked.name, slug, channel=asked.channel)
        return _out(slug, row)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Device, make)


def list_devices(services: Services, slug: str) -> list[wire.Device]:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = uow.session.scalars(select(DeviceRow).where(DeviceRow.title_id == title.id).order_by(DeviceRow.name))
        return [_out(slug, r) for r in rows]


def report(services: Services, actor: Actor, slug: str, name: str, asked: wire.DeviceReport) -> wire.Device:
    """What a device installed. Saying the same twice is no error."""
    with begin(services, actor) as uow:
        row = _must_find(uow, slug, name)
        build = find_build(uow.session, slug, asked.build)
        if build.platform != row.platform:
            raise Conflict("device.platform", f"{build.name} is for {build.platform}, and {name} is {row.platform}")
        row.build, row.last_seen_at = build, services.now()
        # Devices report again after an answer that got lost; what travelled then counts twice, which is rather said
        # than hidden.
        row.downloaded += asked.downloaded
        detail = asked.model_dump()
        audit.record(uow, "device.report", name, slug, **detail)
        uow.session.flush()
        return _out(slug, row)


def remove(services: Services, actor: Actor, slug: str, name: str) -> None:
    """Forgets a device; what is installed on it stays."""
    with begin(services, actor) as uow:
        uow.session.delete(_must_find(uow, slug, name))
        audit.record(uow, "device.remove", name, slug)


def _find(uow: UnitOfWork, title: TitleRow, name: str) -> DeviceRow | None:
    return uow.session.scalar(select(DeviceRow).where(DeviceRow.title_id == title.id, DeviceRow.name == name))


def _must_find(uow: UnitOfWork, slug: str, name: str) -> DeviceRow:
    row = _find(uow, find_title(uow.session, slug), name)
    if row is None:
        raise NotFound("device.unknown", f"{slug} has no device {name!r}", where="device")
    return row


def _out(slug: str, row: DeviceRow) -> wire.Device:
    return wire.Device(
        name=row.name,
        title=slug,
        platform=row.platform,
        channel=row.channel.name,
        simulated=row.simulated,
        build=row.build.number if row.build else None,
        build_name=row.build.name if row.build else "",
        registered_at=row.created_at,
        last_seen_at=row.last_seen_at,
        registered_by=row.registered_by,
    )
