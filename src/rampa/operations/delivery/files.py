"""Handing out a delivery's files: to everybody, by an address of minutes to who may install from a channel, and to mirrors."""

from __future__ import annotations

import base64
import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import ColumnElement, or_, select
from sqlalchemy.orm import aliased, undefer

from rampa.core.delivery import names
from rampa.core.errors import NotFound
from rampa.db import (
    ChannelRow,
    DeliveryFileRow,
    DeviceRow,
    PersonRow,
    TitleRow,
    TrustRow,
    find_channel,
    find_title,
    open_to_everybody,
)
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.testers.access import may_install, must_have_access, must_install
from rampa.operations.testers.links import ChannelPass, pass_text, read_pass
from rampa.schema import delivery as wire
from rampa.schema.common import Role

PASS_LIFE = dt.timedelta(minutes=5)


@dataclass(frozen=True)
class OpenedFile:
    """`digest` is set where it is a pack of the content store."""

    name: str
    size: int
    digest: bytes
    read: Callable[[int, int], bytes]

    @property
    def changes(self) -> bool:
        return self.name == names.TIMESTAMP


def open_file(services: Services, identifier: str, name: str) -> OpenedFile:
    """A file of the title's channels for everybody. Raises `NotFound` alike for none and for one of another channel."""
    with begin(services) as uow:
        title = uow.session.scalar(select(TitleRow).where(TitleRow.identifier == identifier))
        if title is None:
            raise _none(name)
        for_all = open_to_everybody(title.id)
        if uow.session.scalar(for_all.limit(1)) is None:
            raise _none(name)
        return _opened(uow, title, name, DeliveryFileRow.channel_id.in_(for_all))


def open_closed_file(services: Services, ticket: str, identifier: str, name: str) -> OpenedFile:
    """Raises `Denied` for an address that is over, not ours, or whose holder has no access any more."""
    holder = read_pass(services, ticket)
    with begin(services) as uow:
        title = uow.session.scalar(select(TitleRow).where(TitleRow.identifier == identifier))
        channel = uow.session.get(ChannelRow, holder.channel)
        if title is None or channel is None or channel.title_id != title.id:
            raise _none(name)
        _must_still_have_access(uow, holder, name)
        return _opened(uow, title, name, DeliveryFileRow.channel_id == channel.id)


def _must_still_have_access(uow: UnitOfWork, holder: ChannelPass, name: str) -> None:
    device = uow.session.get(DeviceRow, holder.holder)
    if device is not None and device.channel_id == holder.channel:
        return must_have_access(uow, device)
    person = uow.session.get(PersonRow, holder.holder)
    if person is None or not may_install(uow, person, Role(person.role), holder.channel):
        raise _none(name)
    return None


def _opened(uow: UnitOfWork, title: TitleRow, name: str, whose: ColumnElement[bool]) -> OpenedFile:
    rows = select(DeliveryFileRow).options(undefer(DeliveryFileRow.data))
    rows = rows.where(
        DeliveryFileRow.title_id == title.id, DeliveryFileRow.name == name, DeliveryFileRow.over.is_(False)
    )
    row = uow.session.scalar(rows.where(or_(DeliveryFileRow.channel_id.is_(None), whose)).limit(1))
    if row is None:
        raise _none(name)
    store = uow.services.store
    if row.data is not None:
        data = row.data
        return OpenedFile(name, row.size, b"", lambda start, stop: data[start:stop])
    digest = names.digest_in(name)
    if name.startswith(names.PACKS):
        return OpenedFile(name, row.size, digest, lambda start, stop: store.read_pack(digest, start, stop - start))
    return OpenedFile(name, row.size, b"", lambda start, stop: store.manifest(digest)[start:stop])


def _none(name: str) -> NotFound:
    return NotFound("delivery.no-file", f"the delivery has no file {name}")


def closed_address(services: Services, actor: Actor, slug: str, name: str, at: str) -> wire.ClosedAddress:
    """Raises `NotFound` for a channel that who asks has no access to."""
    with begin(services, actor) as uow:
        if actor.device:
            device = uow.session.get_one(DeviceRow, actor.principal)
            must_have_access(uow, device)
            channel = find_channel(uow.session, slug, name)
        else:
            channel = must_install(uow, slug, name)
        until = uow.now + PASS_LIFE
        ticket = pass_text(services, actor.principal, channel.id, until)
        return wire.ClosedAddress(address=f"{at}/delivery/closed/{ticket}", expires_at=until)


def changed_since(services: Services, slug: str, query: wire.FilesQuery) -> wire.DeliveryFiles:
    """What a mirror of the title's channels for everybody lacks. Raises `NotFound` for a title that had no ceremony."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        trust = uow.session.get(TrustRow, title.id)
        if trust is None:
            raise NotFound("trust.none", f"{slug} had no ceremony yet", hint="Begin with: `rampa trust ceremony`.")
        row = DeliveryFileRow
        of = (row.title_id == title.id, row.name != names.TIMESTAMP)
        live = (*of, row.everybody, row.over.is_(False))
        stamp = uow.session.scalar(
            select(row.data).where(row.title_id == title.id, row.name == names.TIMESTAMP, row.channel_id.is_(None))
        )
        came = select(row.name, row.size, row.change).where(*live, row.change > query.since)
        found = {
            r.name: wire.DeliveryFile(name=r.name, size=r.size, change=r.change) for r in uow.session.execute(came)
        }
        # Over for one channel, or for one that is not for everybody any more; another one may still name it.
        other = aliased(DeliveryFileRow)
        still = select(other.name).where(other.title_id == title.id, other.everybody, other.over.is_(False))
        gone = select(row.name, row.change).where(*of, row.change > query.since, row.name.not_in(still))
        for name, change in uow.session.execute(gone.where(row.over | row.everybody.is_(False))) if query.since else ():
            found[name] = wire.DeliveryFile(name=name, size=0, change=change, over=True)
        return wire.DeliveryFiles(
            title=slug,
            identifier=title.identifier,
            change=trust.change,
            items=sorted(found.values(), key=lambda f: (f.change, f.name)),
            timestamp=base64.b64encode(stamp or b"").decode(),
        )
