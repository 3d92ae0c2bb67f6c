"""Simulated devices that their people look at, in the console and on a tester's pages. The host runs them; who may look is asked
here, with every call."""

from __future__ import annotations

import uuid

from sqlalchemy import select

from rampa.core.errors import NotFound, RampaError, Refused
from rampa.db import DeviceRow, TitleRow
from rampa.operations.base import Act, Actor, Services, begin, may
from rampa.operations.devices.registration import make_code, must_be_platform
from rampa.operations.testers.access import must_have_access
from rampa.schema import screens as wire
from rampa.store.screen_host import ScreenHostAddress, none_hosted

MOST_OWN = 4
"""Simulated devices of one person."""


def list_screens(services: Services, actor: Actor) -> wire.Screens:
    """One's own; those that are not on the host any more are left out."""
    if services.screens is None:
        return wire.Screens(items=[], hosted=False)
    with begin(services, actor) as uow:
        mine = select(DeviceRow).where(DeviceRow.person_id == actor.principal, DeviceRow.simulated)
        rows = list(uow.session.scalars(mine.order_by(DeviceRow.id)))
    found = []
    for row in rows:
        try:
            found.append(_named(services, row, services.screens.ask("GET", f"/devices/{row.id}")))
        except NotFound:
            continue
    return wire.Screens(items=found, hosted=True)


def add_screen(services: Services, actor: Actor, slug: str, name: str, asked: wire.NewScreen) -> wire.Screen:
    """Registers as every device does, by a code that is made for it. Raises `Refused` for more than a person may have."""
    host = _host(services)
    must_be_platform(asked.platform)
    count = len(list_screens(services, actor).items)
    if count >= MOST_OWN:
        hint = "Take one out first."
        raise Refused("screen.own-many", f"you have {count} simulated devices here, and nobody has more", hint=hint)
    code = make_code(services, actor, slug, name, services.origin).code
    told = wire.HostedScreen(code=code, **asked.model_dump())
    made = wire.Screen.model_validate_json(host.ask("POST", "/devices", told.model_dump_json()))
    with begin(services, actor) as uow:
        return _named(services, uow.session.get_one(DeviceRow, uuid.UUID(made.device)), made.model_dump_json().encode())


def get_screen(services: Services, actor: Actor, device: str) -> wire.Screen:
    host, row = _host(services), _mine(services, actor, device)
    return _named(services, row, host.ask("GET", f"/devices/{row.id}"))


def picture_of(services: Services, actor: Actor, device: str) -> bytes:
    """What its title's program drew last (JPEG)."""
    return _host(services).ask("GET", f"/devices/{_mine(services, actor, device).id}/picture")


def act(services: Services, actor: Actor, device: str, asked: wire.ScreenActIn) -> wire.Screen:
    host, row = _host(services), _mine(services, actor, device, Act.USE_DEVICE)
    return _named(services, row, host.ask("POST", f"/devices/{row.id}/acts", asked.model_dump_json()))


def change_settings(services: Services, actor: Actor, device: str, asked: wire.ScreenSet) -> wire.Screen:
    host, row = _host(services), _mine(services, actor, device, Act.USE_DEVICE)
    return _named(services, row, host.ask("POST", f"/devices/{row.id}/settings", asked.model_dump_json()))


def forget(services: Services, device: uuid.UUID) -> None:
    """A device that was taken out is not simulated any more. Where its host is away, it finds no access when it is back."""
    if services.screens is not None:
        try:
            services.screens.ask("DELETE", f"/devices/{device}")
        except RampaError:
            return


def _mine(services: Services, actor: Actor, device: str, others: Act = Act.READ) -> DeviceRow:
    """One's own; everybody's for who may `others`. Raises `NotFound` alike for none and for somebody else's."""
    with begin(services, actor) as uow:
        row = uow.session.get(DeviceRow, uuid.UUID(device))
        if row is None or not row.simulated or not (row.person_id == actor.principal or may(actor.role, others)):
            raise NotFound("screen.unknown", "there is no such simulated device of yours")
        if row.person_id == actor.principal:
            must_have_access(uow, row)
        return row


def _host(services: Services) -> ScreenHostAddress:
    if services.screens is None:
        raise none_hosted()
    return services.screens


def _named(services: Services, row: DeviceRow, answer: bytes) -> wire.Screen:
    with begin(services) as uow:
        title = uow.session.get_one(TitleRow, row.title_id)
    return wire.Screen.model_validate_json(answer).model_copy(update={"title_name": title.name})
