"""Handing a bundle out by an address that is good for a minute, to who may install it; looked at again while it travels."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from rampa.core.errors import Denied
from rampa.db import BuildRow, BundleRow, PersonRow
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.content.seal import is_locked
from rampa.operations.content.stored_trees import split_digests, stream_part
from rampa.operations.signing.grants import listed_devices
from rampa.operations.testers.access import may_install, must_install
from rampa.operations.testers.links import Ticket, read_ticket, ticket_text
from rampa.operations.testers.testing import find_live
from rampa.schema import testers as wire
from rampa.schema.common import Role

LIFE = dt.timedelta(seconds=60)
LOOK_EVERY = dt.timedelta(seconds=20)
"""How often a download that travels is looked at again."""


@dataclass(frozen=True)
class Download:
    """`part(start, stop)` streams bytes of it."""

    name: str
    size: int
    sha256: bytes
    part: Callable[[int, int], Iterator[bytes]]


def make_address(services: Services, actor: Actor, slug: str, name: str, number: int, at: str) -> wire.DownloadAddress:
    """Raises `NotFound` for what is not live there for who asks, `Denied` for one that is sealed."""
    with begin(services, actor) as uow:
        channel = must_install(uow, slug, name)
        build = find_live(uow, channel.id, number)
        bundle = _handed_out(uow, build)
        until = uow.now + LIFE
        ticket = ticket_text(services, actor.principal, channel.id, build.id, until)
        audit.record(
            uow, "build.hand-out", build.name, slug, channel=channel.name, restricted=bool(listed_devices(uow, build))
        )
        return wire.DownloadAddress(address=f"{at}/downloads/{ticket}/{bundle.name}", expires_at=until)


def open_download(services: Services, text: str) -> Download:
    """Raises `Denied` for an address that is over, not ours, or whose person has no access any more."""
    ticket = read_ticket(services, text)
    with begin(services) as uow:
        build = _still(uow, ticket)
        bundle = _handed_out(uow, build)
        digests = split_digests(bundle.chunks)

    def part(start: int, stop: int) -> Iterator[bytes]:
        looked = services.now()
        for data in stream_part(services, digests, start, stop):
            yield data
            if services.now() - looked > LOOK_EVERY:
                looked = services.now()
                with begin(services) as uow:
                    _still(uow, ticket)

    return Download(bundle.name, bundle.size, bundle.sha256, part)


def _still(uow: UnitOfWork, ticket: Ticket) -> BuildRow:
    person = uow.session.get(PersonRow, ticket.person)
    build = uow.session.get(BuildRow, ticket.build)
    if person is None or build is None or not may_install(uow, person, Role(person.role), ticket.channel):
        raise Denied("download.withdrawn", "the access that this address came from was taken away")
    find_live(uow, ticket.channel, build.number)
    return build


def _handed_out(uow: UnitOfWork, build: BuildRow) -> BundleRow:
    if build.bundle is None:
        raise Denied("bundle.none", f"{build.name} has no bundle")
    if is_locked(uow, build):
        hint = "It is handed out once the build is unsealed."
        raise Denied("bundle.sealed", f"the content of {build.name} is sealed, and so is its bundle", hint=hint)
    return build.bundle
