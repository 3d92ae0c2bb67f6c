"""Origins: places besides the service where the files of a title's channels for everybody lie, and whether they are current."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable

from sqlalchemy import select

from rampa.core.delivery import names
from rampa.core.delivery.line import MOST_ORIGINS
from rampa.core.errors import Conflict, RampaError, Refused
from rampa.db import DeliveryFileRow, DeliveryOriginRow, TitleRow, TrustRow, find_origin, find_title
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, audit, begin, must
from rampa.schema import delivery as wire

LATE = dt.timedelta(minutes=5)
"""How long an origin may be behind before that is said."""
Ask = Callable[[str, int], bytes]
"""(address, at most so many bytes) -> what is there. Raises `Unavailable`, and `Invalid` for what is out of reach."""


def list_origins(services: Services, actor: Actor, slug: str) -> wire.OriginList:
    with begin(services, actor) as uow:
        return _list(uow, find_title(uow.session, slug))


def add_origin(services: Services, actor: Actor, slug: str, asked: wire.OriginIn) -> wire.OriginList:
    """Devices are told of it with the next signed line. Raises `Conflict` for a name or an address that is there."""
    must(actor, Act.MANAGE_ORIGINS)
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        there = _of(uow, title.id)
        address = asked.address.rstrip("/")
        for row in there:
            if asked.name == row.name or address == row.address:
                raise Conflict("origin.exists", f"{slug} has this origin already: {row.name}", where="name")
        if len(there) >= MOST_ORIGINS:
            raise Refused("origin.many", f"{slug} has {MOST_ORIGINS} origins, and devices take no more")
        row = DeliveryOriginRow(
            title_id=title.id, name=asked.name, address=address, priority=asked.priority, paused=False,
            made_by=actor.name, said="", created_at=uow.now,
        )  # fmt: skip
        uow.session.add(row)
        audit.record(uow, "origin.add", row.name, slug, address=address)
        uow.session.flush()
        return _list(uow, title)


def change_origin(services: Services, actor: Actor, slug: str, name: str, asked: wire.OriginChange) -> wire.OriginList:
    must(actor, Act.MANAGE_ORIGINS)
    with begin(services, actor) as uow:
        title, row = find_title(uow.session, slug), find_origin(uow.session, slug, name)
        if asked.paused is not None and asked.paused != row.paused:
            row.paused = asked.paused
            audit.record(uow, "origin.pause" if row.paused else "origin.resume", row.name, slug)
        row.priority = row.priority if asked.priority is None else asked.priority
        return _list(uow, title)


def remove_origin(services: Services, actor: Actor, slug: str, name: str) -> None:
    """Devices are told with the next signed line; the files that lie there stay there."""
    must(actor, Act.MANAGE_ORIGINS)
    with begin(services, actor) as uow:
        row = find_origin(uow.session, slug, name)
        uow.session.delete(row)
        audit.record(uow, "origin.remove", row.name, slug)


def look_at_origins(services: Services, ask: Ask) -> None:
    """Whether each has what the service has, from outside as devices see it."""
    with begin(services) as uow:
        rows = select(DeliveryOriginRow, TitleRow.identifier).join(TitleRow, TitleRow.id == DeliveryOriginRow.title_id)
        found = [(row.id, row.title_id, row.address, ident) for row, ident in uow.session.execute(rows)]
    for origin, title, address, identifier in found:
        try:
            got, said = ask(f"{address}/{identifier}/{names.TIMESTAMP}", 16_384), ""
        except RampaError as error:
            got, said = b"", RampaError(error.code, error.message, hint=error.hint).sentence()
        _note(services, origin, title, got, said)


def _note(services: Services, origin: uuid.UUID, title: uuid.UUID, got: bytes, said: str) -> None:
    with begin(services) as uow:
        row = uow.session.get(DeliveryOriginRow, origin, with_for_update=True)
        trust = uow.session.get(TrustRow, title)
        if row is None:
            return
        stamp = select(DeliveryFileRow.data).where(
            DeliveryFileRow.title_id == title, DeliveryFileRow.name == names.TIMESTAMP
        )
        row.looked_at = uow.now
        if not said and got == uow.session.scalar(stamp):
            row.good_at, row.said = uow.now, ""
            return
        since = trust.published_at if trust and trust.published_at else uow.now
        late = not said and uow.now - max(row.good_at or row.created_at, since) > LATE
        behind = "It does not have what the service has. Write it again: `rampa delivery write`."
        row.said = said or (behind if late else "")


def _list(uow: UnitOfWork, title: TitleRow) -> wire.OriginList:
    return wire.OriginList(items=[_out(uow, row) for row in _of(uow, title.id)])


def _of(uow: UnitOfWork, title: uuid.UUID) -> list[DeliveryOriginRow]:
    rows = select(DeliveryOriginRow).where(DeliveryOriginRow.title_id == title)
    return list(uow.session.scalars(rows.order_by(DeliveryOriginRow.priority, DeliveryOriginRow.name)))


def _out(uow: UnitOfWork, row: DeliveryOriginRow) -> wire.DeliveryOrigin:
    acts = {"resume" if row.paused else "pause": "", "remove": ""}
    return wire.DeliveryOrigin(
        name=row.name,
        address=row.address,
        priority=row.priority,
        paused=row.paused,
        made_by=row.made_by,
        looked_at=row.looked_at,
        good_at=row.good_at,
        said=row.said,
        allowed_actions=[action(uow.actor, Act.MANAGE_ORIGINS, name) for name in acts],
    )
