"""The two ways by which a device comes to its build: from files that its title's trust vouches for, wherever they lie, or, for a
title that has had no ceremony, by the service's signed offer."""

from __future__ import annotations

import base64
import datetime as dt
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass

from rampa.cli.base.output import err
from rampa.client import Client
from rampa.client.calls import API
from rampa.client.delivery.origins import Address, Origins
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.delivery.line import LineBuild
from rampa.core.errors import NotFound
from rampa.core.install.delivery import Delivery
from rampa.core.install.file_delivery import fetch_signed
from rampa.core.install.fill import FillReport
from rampa.standin.device import Listener, SimulatedDevice
from rampa.standin.trusted import TrustedDevice
from rampa.system import CLOCK

LAST = 1000
"""The service's own priority: origins take the load off it."""


@dataclass(frozen=True)
class FoundBuild:
    """What a device is to have. `install` takes the delivery, so that it can be slowed down; `token` goes with health reports."""

    build: int
    delivery: Delivery
    install: Callable[[Delivery, Listener], FillReport]
    token: str


@contextmanager
def looked(client: Client, device: SimulatedDevice) -> Iterator[FoundBuild]:
    """Raises `NotFound` where there is nothing for this device; `Refused` and `Damaged` for what does not hold."""
    trusted = TrustedDevice(device)
    if not _begun(client, trusted):
        yield _by_offer(client, device)
        return
    with closing(places(client, trusted)) as origins:
        line = trusted.look(origins, dt.datetime.now(dt.UTC))
        told = [Address(o.address, o.priority) for o in line.origins]
        origins.use([*told, *(a for a in origins.addresses if a.sends_on)])
        build = trusted.wanted(line)
        yield _by_files(trusted, build, origins, line.reports)


@contextmanager
def delivering(client: Client, device: SimulatedDevice, build: int) -> Iterator[Delivery]:
    """What is installed, to be repaired: from files where its line still has it, else from the service."""
    trusted = TrustedDevice(device)
    if trusted.start() is not None:
        with closing(places(client, trusted)) as origins:
            line = trusted.look(origins, dt.datetime.now(dt.UTC))
            same = [b for b in line.builds if b.offered.build == build]
            if same:
                yield trusted.delivery(same[0], origins, fetch_signed(origins, same[0].statement))
                return
    yield HttpDelivery(client, device.identity.title, build)


def _begun(client: Client, trusted: TrustedDevice) -> bool:
    """Whether it follows from files: from the first look at which its title has a root."""
    if trusted.start() is not None:
        return True
    who = trusted.device.identity
    try:
        trusted.begin(client.delivery.trusted_start(who.title, who.channel))
    except NotFound as error:
        if error.code != "trust.none":
            raise
        return False
    return True


def places(client: Client, trusted: TrustedDevice) -> Origins:
    """Where the files lay when it looked last, and the service's own."""
    start, who = trusted.start(), trusted.device.identity

    def closed() -> Address:
        return Address(client.delivery.closed_address(who.title, who.channel).address, LAST, sends_on=True)

    if start is not None and start.everybody:
        known = [Address(o.address, o.priority) for o in trusted.origins()]
        known.append(Address(f"{who.service}{API}/delivery", LAST, sends_on=True))
        return Origins(who.identifier, known, CLOCK, told=_told)
    return Origins(who.identifier, [closed()], CLOCK, told=_told, renew=closed)


def _told(said: str) -> None:
    err().print(f"An origin failed: {said}.")


def _by_files(trusted: TrustedDevice, build: LineBuild, origins: Origins, token: str) -> FoundBuild:
    envelope = fetch_signed(origins, build.statement)

    def install(delivery: Delivery, on: Listener) -> FillReport:
        return trusted.device.install(envelope, delivery, on, back=build.offered.back)

    return FoundBuild(build.offered.build, trusted.delivery(build, origins, envelope), install, token)


def _by_offer(client: Client, device: SimulatedDevice) -> FoundBuild:
    who = device.identity
    signed = base64.b64decode(client.channels.offer(who.title, who.channel, who.platform).signed)
    build = device.wanted(signed).build
    statement = client.builds.statement(who.title, build)

    def install(delivery: Delivery, on: Listener) -> FillReport:
        return device.update(signed, statement, delivery, on)

    return FoundBuild(build, HttpDelivery(client, who.title, build), install, device.token_of(signed))
