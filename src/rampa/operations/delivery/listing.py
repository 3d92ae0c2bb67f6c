"""Which files a title's delivery has, and since which change: what devices are served by, and mirrors keep up by.

A file that nothing names any more stays for a while, for devices in the middle of an update; then it is over.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Mapping
from typing import NamedTuple

from sqlalchemy import delete, insert, select, update

from rampa.core.delivery.names import TIMESTAMP
from rampa.db import DeliveryFileRow, TrustRow, new_id
from rampa.operations.base import UnitOfWork

GRACE = dt.timedelta(hours=1)
"""How long files stay that nothing names any more."""
FORGET = dt.timedelta(days=30)
"""How long it is known that a file is over; a mirror that was away for longer is written anew."""
BATCH = 1000
Key = tuple[uuid.UUID | None, str]


class Wanted(NamedTuple):
    """A file that is to be there; `data` is None for what lies in the content store."""

    size: int
    data: bytes | None


def bring(
    uow: UnitOfWork,
    trust: TrustRow,
    wanted: Mapping[uuid.UUID | None, Mapping[str, Wanted]],
    everybody: frozenset[uuid.UUID | None],
) -> bool:
    """Makes the list what is wanted; whether it changed. `everybody`: the channels for everybody, and None. The caller holds the
    title's trust: one change of it at a time."""
    of = DeliveryFileRow.title_id == trust.title_id
    row = DeliveryFileRow
    columns = (row.id, row.channel_id, row.name, row.gone_at, row.over, row.everybody)
    there = {(r.channel_id, r.name): r for r in uow.session.execute(select(*columns).where(of))}
    wished: dict[Key, Wanted] = {(c, name): w for c, files in wanted.items() for name, w in files.items()}
    change = trust.change + 1
    new = [
        _row(uow, trust, key, w, change) | {"everybody": key[0] in everybody}
        for key, w in wished.items()
        if key not in there
    ]
    for at in range(0, len(new), BATCH):
        uow.session.execute(insert(DeliveryFileRow), new[at : at + BATCH])
    back = [r.id for key, r in there.items() if key in wished and (r.gone_at or r.over)]
    gone = [r.id for key, r in there.items() if key not in wished and not r.gone_at]
    over = [
        r.id
        for key, r in there.items()
        if key not in wished and r.gone_at and r.gone_at + GRACE <= uow.now and not r.over
    ]
    _set(uow, back, gone_at=None, over=False, change=change)
    _set(uow, gone, gone_at=uow.now)
    _set(uow, over, over=True, data=None, change=change)
    for now in (True, False):
        turned = [r.id for key, r in there.items() if r.everybody != now and (key[0] in everybody) == now]
        _set(uow, turned, everybody=now, change=change)
        back += turned
    changed = _set_timestamp(uow, wished, there, change) or bool(new or back or over)
    uow.session.execute(
        delete(DeliveryFileRow).where(of, DeliveryFileRow.over, DeliveryFileRow.gone_at < uow.now - FORGET)
    )
    trust.change = change if changed else trust.change
    return changed


def _row(uow: UnitOfWork, trust: TrustRow, key: Key, wanted: Wanted, change: int) -> dict[str, object]:
    return {
        "id": new_id(),
        "created_at": uow.now,
        "title_id": trust.title_id,
        "channel_id": key[0],
        "name": key[1],
        "size": wanted.size,
        "data": wanted.data,
        "change": change,
        "over": False,
    }


def _set(uow: UnitOfWork, ids: list[uuid.UUID], **values: object) -> None:
    for at in range(0, len(ids), BATCH):
        rows = update(DeliveryFileRow).where(DeliveryFileRow.id.in_(ids[at : at + BATCH])).values(**values)
        uow.session.execute(rows.execution_options(synchronize_session=False))


def _set_timestamp(uow: UnitOfWork, wished: Mapping[Key, Wanted], there: Mapping[Key, object], change: int) -> bool:
    """The one file that changes under its name."""
    key = (None, TIMESTAMP)
    if key not in there:
        return key in wished
    row = uow.session.scalars(
        select(DeliveryFileRow).where(DeliveryFileRow.id == there[key].id)  # type: ignore[attr-defined]
    ).one()
    if row.data == wished[key].data:
        return False
    row.size, row.data, row.change = wished[key].size, wished[key].data, change
    return True


def any_over(uow: UnitOfWork, title: uuid.UUID) -> bool:
    """Files whose grace has ended since."""
    rows = select(DeliveryFileRow.id).where(
        DeliveryFileRow.title_id == title, DeliveryFileRow.over.is_(False), DeliveryFileRow.gone_at <= uow.now - GRACE
    )
    return uow.session.scalar(rows.limit(1)) is not None
