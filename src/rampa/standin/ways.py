"""The two ways by which a device comes to its build: from files that its title's trust vouches for, wherever they lie, or, for a
title that has had no ceremony, by the service's signed offer."""

from __future__ import annotations

import base64
import datetime as dt
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass

import rampa.client
from rampa.client import Client
from rampa.client.calls import API
from rampa.client.connection import PATIENCE, Connection
from rampa.client.delivery.origins import Address, Origins
from rampa.client.devices.bearer import DeviceBearer
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.delivery.line import LineBuild
from rampa.core.errors import NotFound, RampaError, Unavailable
from rampa.core.install.delivery import Delivery
from rampa.core.install.file_delivery import fetch_signed
from rampa.core.install.progress import FillReport
from rampa.core.platform.table import PLATFORMS
from rampa.core.signing import statement as statement_format
from rampa.schema.devices import DeviceReport
from rampa.standin.device import Listener, SimulatedDevice
from rampa.standin.trusted import TrustedDevice
from rampa.system import CLOCK

Hear = Callable[[str], None]
Now = Callable[[], dt.datetime]
LAST = 1000
"""The service's own priority: origins take the load off it."""
BRIEF = 2.0
"""Seconds that a device waits for a service that it can do without."""


def ignore(_said: str) -> None:
    pass


def utc_now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)


@dataclass(frozen=True)
class FoundBuild:
    """What a device is to have, by a statement that holds. `install` takes the delivery, so that it can be slowed down; `token`
    goes with health reports."""

    build: int
    version_name: str
    delivery: Delivery
    install: Callable[[Delivery, Listener], FillReport]
    token: str


@contextmanager
def calling(device: SimulatedDevice) -> Iterator[Client]:
    """The service, with the device's own key."""
    who = device.identity
    # With files that lie elsewhere it can do without the service: it does not wait a minute for it.
    patience = BRIEF if TrustedDevice(device).start() is not None else PATIENCE
    with rampa.client.Client(who.service, connection=Connection(who.service, patience=patience)) as unknown:
        bearer = DeviceBearer(unknown, who.device_id, device.key(), device.count)
        own = Connection(who.service, bearer=bearer, patience=patience)
        with rampa.client.Client(who.service, connection=own) as client:
            yield client


@contextmanager
def looked(client: Client, device: SimulatedDevice, told: Hear = ignore, now: Now = utc_now) -> Iterator[FoundBuild]:
    """`told` hears of origins that failed. Raises `NotFound` where there is nothing for this device; `Refused` and `Damaged` for
    what does not hold."""
    trusted = TrustedDevice(device)
    if not _begun(client, trusted):
        yield _by_offer(client, device, now)
        return
    with closing(places(client, trusted, told)) as origins:
        line = trusted.look(origins, now())
        said = [Address(o.address, o.priority) for o in line.origins]
        origins.use([*said, *(a for a in origins.addresses if a.sends_on)])
        build = trusted.wanted(line)
        yield _by_files(trusted, build, origins, line.reports)


@contextmanager
def delivering(client: Client, device: SimulatedDevice, build: int, told: Hear = ignore) -> Iterator[Delivery]:
    """What is installed, to be repaired: from files where its line still has it, else from the service."""
    trusted = TrustedDevice(device)
    if trusted.start() is not None:
        with closing(places(client, trusted, told)) as origins:
            line = trusted.look(origins, utc_now())
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


def places(client: Client, trusted: TrustedDevice, told: Hear) -> Origins:
    """Where the files lay when it looked last, and the service's own."""
    start, who = trusted.start(), trusted.device.identity

    def closed() -> Address:
        return Address(client.delivery.closed_address(who.title, who.channel).address, LAST, sends_on=True)

    if start is not None and start.everybody:
        known = [Address(o.address, o.priority) for o in trusted.origins()]
        known.append(Address(f"{who.service}{API}/delivery", LAST, sends_on=True))
        return Origins(who.identifier, known, CLOCK, told=told)
    return Origins(who.identifier, [closed()], CLOCK, told=told, renew=closed)


def _by_files(trusted: TrustedDevice, build: LineBuild, origins: Origins, token: str) -> FoundBuild:
    envelope = fetch_signed(origins, build.statement)

    def install(delivery: Delivery, on: Listener) -> FillReport:
        return trusted.device.install(envelope, delivery, on, back=build.offered.back)

    key = bytes.fromhex(trusted.device.identity.key)
    version = statement_format.verify(envelope, key).version_name
    return FoundBuild(build.offered.build, version, trusted.delivery(build, origins, envelope), install, token)


def _by_offer(client: Client, device: SimulatedDevice, now: Now) -> FoundBuild:
    who = device.identity
    signed = base64.b64decode(client.channels.offer(who.title, who.channel, who.platform).signed)
    build = device.wanted(signed, now()).build
    statement = client.builds.statement(who.title, build)

    def install(delivery: Delivery, on: Listener) -> FillReport:
        return device.update(signed, statement, delivery, on, now())

    version = statement_format.verify(statement, bytes.fromhex(who.key)).version_name
    return FoundBuild(build, version, HttpDelivery(client, who.title, build), install, device.token_of(signed))


def report(client: Client, device: SimulatedDevice, token: str, done: DeviceReport, *, changed: bool) -> bool:
    """What it did; False where the service does not answer, and it is told with the next look. Raises as calls do for a device
    that follows from no files."""
    trusted, who = TrustedDevice(device), device.identity
    waiting = trusted.kept_report()
    try:
        client.devices.report(who.title, who.name, waiting if waiting and not changed else done)
        trusted.reported()
    except Unavailable:
        if trusted.start() is None:
            raise
        if changed:
            trusted.keep_report(done)
        return False
    batch = device.to_report(token)
    if batch is not None:
        # Where that cannot be sent now, it goes with the next look.
        with suppress(RampaError):
            client.health.report(who.identifier, batch)
            device.reported(batch)
    return True


def must_be_granted(client: Client, device: SimulatedDevice, number: int) -> None:
    """Where the platform wants it, a test build is installed only with a grant that lists this device."""
    if not PLATFORMS[device.identity.platform].needs_grant:
        return
    asked = client.signing.restriction(device.identity.title, number)
    if asked.needed:
        signed = client.signing.grant_of(device.identity.title, number)
        device.must_be_granted(signed, asked.identifier, asked.certificate, utc_now())
