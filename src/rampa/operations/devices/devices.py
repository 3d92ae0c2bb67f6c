"""Devices: registering them, and what they say of themselves."""

from __future__ import annotations

import uuid
from collections.abc import Sequence

from sqlalchemy import select

from rampa.core.errors import Conflict, NotFound
from rampa.core.platform.table import platform_title
from rampa.db import BuildRow, DeviceRow, TitleRow, find_build, find_channel, find_device, find_title
from rampa.operations.base import Actor, Once, Services, audit, begin, once
from rampa.operations.devices import screens
from rampa.operations.devices.behind import builds_behind
from rampa.operations.devices.registration import must_be_free, must_be_platform
from rampa.schema import devices as wire
from rampa.schema import testers as testers_wire


def register(services: Services, actor: Actor, slug: str, asked: wire.NewDevice, key: Once | None) -> wire.Device:
    """One that has no key of its own: an engineer writes it down, so that a grant can list it."""
    must_be_platform(asked.platform)

    def make() -> wire.Device:
        title = find_title(uow.session, slug)
        channel = find_channel(uow.session, slug, asked.channel)
        must_be_free(uow, title, asked.name, asked.platform)
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
        devices = list(rows)
        behind = builds_behind(uow, devices)
        return [_out(slug, r, behind.get(r.id, [])) for r in devices]


def list_own(services: Services, actor: Actor) -> testers_wire.TestDevices:
    """The caller's own, of all titles; those of a channel that they have no access to any more are told, too."""
    with begin(services, actor) as uow:
        rows = select(DeviceRow, TitleRow).join(TitleRow, TitleRow.id == DeviceRow.title_id)
        found = uow.session.execute(rows.where(DeviceRow.person_id == actor.principal).order_by(DeviceRow.id)).all()
        behind = builds_behind(uow, [device for device, _ in found])
        return testers_wire.TestDevices(
            items=[_own(device, title, behind.get(device.id, [])) for device, title in found]
        )


def remove_own(services: Services, actor: Actor, device: str) -> testers_wire.TestDevices:
    """A lost one, or one that is given away: its access ends at once."""
    with begin(services, actor) as uow:
        row = uow.session.get(DeviceRow, uuid.UUID(device))
        if row is None or row.person_id != actor.principal:
            raise NotFound("device.unknown", "you have no such device", where="device")
        slug = uow.session.get_one(TitleRow, row.title_id).slug
        uow.session.delete(row)
        audit.record(uow, "device.remove", row.name, slug)
    screens.forget(services, row.id)
    return list_own(services, actor)


def report(services: Services, actor: Actor, slug: str, name: str, asked: wire.DeviceReport) -> wire.Device:
    """What a device installed. Saying the same twice is no error."""
    with begin(services, actor) as uow:
        row = find_device(uow.session, slug, name)
        build = find_build(uow.session, slug, asked.build)
        if build.platform != row.platform:
            raise Conflict("device.platform", f"{build.name} is for {build.platform}, and {name} is {row.platform}")
        row.build, row.last_seen_at = build, services.now()
        # Devices report again after an answer that got lost; what travelled then counts twice, which is rather said
        # than hidden.
        row.downloaded += asked.downloaded
        row.depots = sorted(set(asked.depots)) or row.depots
        row.rate = asked.rate or row.rate
        row.unpacks = asked.unpacks or row.unpacks
        detail = asked.model_dump()
        audit.record(uow, "device.report", name, slug, **detail)
        uow.session.flush()
        return _out(slug, row)


def remove(services: Services, actor: Actor, slug: str, name: str) -> None:
    """Forgets a device; what is installed on it stays."""
    with begin(services, actor) as uow:
        row = find_device(uow.session, slug, name)
        uow.session.delete(row)
        audit.record(uow, "device.remove", name, slug)
    screens.forget(services, row.id)


def _out(slug: str, row: DeviceRow, behind: Sequence[BuildRow] = ()) -> wire.Device:
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
        person=row.person.name if row.person else "",
        form=row.form,
        level=row.level,
        keyed=row.public_key is not None,
        cannot_run=[b.number for b in behind],
    )


def _own(row: DeviceRow, title: TitleRow, behind: Sequence[BuildRow]) -> testers_wire.TestDevice:
    return testers_wire.TestDevice(
        id=str(row.id),
        title=title.slug,
        title_name=title.name,
        channel=row.channel.name,
        name=row.name,
        platform=row.platform,
        platform_title=platform_title(row.platform),
        form=row.form,
        level=row.level,
        simulated=row.simulated,
        build=row.build.number if row.build else None,
        version_name=row.build.version_name if row.build else "",
        registered_at=row.created_at,
        last_seen_at=row.last_seen_at,
        cannot_run=[b.number for b in behind],
    )
