"""Taking in what devices report: checked, counted once however often it is sent, brought to the service's clock."""

from __future__ import annotations

import datetime as dt
import hmac
import uuid
from collections import Counter
from collections.abc import Sequence

from sqlalchemy import func, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert

from rampa.core.errors import Denied, Unavailable
from rampa.core.health.comparison import Trouble
from rampa.core.health.crash import CrashReport
from rampa.db import BuildRow, CrashRow, HealthBatchRow, HealthEventRow, PlacementRow, TitleRow
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.health.pace import Pace
from rampa.operations.health.stacks import keep_stacks
from rampa.schema import health as wire

OLDEST = dt.timedelta(days=30)
"""What a device kept for longer says nothing of a rollout any more."""
AHEAD = dt.timedelta(minutes=5)
_pace = Pace()
Turn = tuple[uuid.UUID, Trouble]


def take(services: Services, identifier: str, batch: wire.HealthBatch) -> wire.HealthTaken:
    """What cannot be is refused by its index, the rest is taken. Raises `Denied` for another title's token, `Unavailable` for a
    device that reports too often."""
    now = services.now()
    if not _pace.allows(batch.device, now.timestamp()):
        hint = "Keep what you have, and send it with the next batch in a minute."
        raise Unavailable("health.throttled", "this device reports too often", hint=hint)
    with begin(services) as uow:
        title = _title(uow, identifier, batch.token)
        if not _first(uow, title, batch):
            return wire.HealthTaken(taken=0, again=True, refused=[])
        placed = _placed(uow, title, {e.build for e in batch.events})
        refused, rows = [], []
        crashes: list[tuple[uuid.UUID, CrashReport, dict[str, object]]] = []
        turns = _turns(uow, batch.device, set(placed.values()))
        for index, event in enumerate(batch.events):
            why = _wrong(event, batch, placed, title.slug)
            if why:
                refused.append(wire.RefusedEvent(index=index, why=why))
                continue
            build = placed[event.build]
            turns[build, event.kind] += 1
            row = _row(event, batch, now, build, turns[build, event.kind])
            rows.append(row)
            if event.crash:
                crashes.append((build, event.crash.report(), row))
        if rows:
            uow.session.execute(insert(HealthEventRow), rows)
        if crashes:
            _keep(uow, title, crashes)
        return wire.HealthTaken(taken=len(rows), again=False, refused=refused)


def _keep(
    uow: UnitOfWork, title: TitleRow, crashes: Sequence[tuple[uuid.UUID, CrashReport, dict[str, object]]]
) -> None:
    stacks = keep_stacks(uow, title, [(build, report) for build, report, _ in crashes])
    rows = [
        {
            "stack_id": stacks[build, report.digest],
            **{k: row[k] for k in ("device", "at", "form", "level", "simulated")},
        }
        for build, report, row in crashes
        if (build, report.digest) in stacks
    ]
    if rows:
        uow.session.execute(insert(CrashRow), rows)


def _title(uow: UnitOfWork, identifier: str, token: str) -> TitleRow:
    title = uow.session.scalar(select(TitleRow).where(TitleRow.identifier == identifier))
    # Whether there is such a title is not told either.
    if title is None or not hmac.compare_digest(title.reports.encode(), token.encode()):
        hint = "Take it from the offer of the title's channel."
        raise Denied("health.token", "this is not the token of that title's devices", where="token", hint=hint)
    return title


def _first(uow: UnitOfWork, title: TitleRow, batch: wire.HealthBatch) -> bool:
    row = {"title_id": title.id, "device": batch.device, "number": batch.number, "at": uow.now}
    made = upsert(HealthBatchRow).values(**row).on_conflict_do_nothing().returning(HealthBatchRow.number)
    return uow.session.execute(made).scalar() is not None


def _placed(uow: UnitOfWork, title: TitleRow, numbers: set[int]) -> dict[int, uuid.UUID]:
    """Number -> id of those that were ever placed."""
    rows = (
        select(BuildRow.number, BuildRow.id)
        .where(BuildRow.title_id == title.id, BuildRow.number.in_(numbers))
        .where(select(PlacementRow.id).where(PlacementRow.build_id == BuildRow.id).exists())
    )
    return {number: ident for number, ident in uow.session.execute(rows)}


def _turns(uow: UnitOfWork, device: str, builds: set[uuid.UUID]) -> Counter[Turn]:
    """How many of each kind the device has reported of each build."""
    rows = (
        select(HealthEventRow.build_id, HealthEventRow.kind, func.count())
        .where(HealthEventRow.device == device, HealthEventRow.build_id.in_(builds))
        .group_by(HealthEventRow.build_id, HealthEventRow.kind)
    )
    return Counter({(build, kind): count for build, kind, count in uow.session.execute(rows)})


def _wrong(event: wire.HealthEvent, batch: wire.HealthBatch, placed: dict[int, uuid.UUID], slug: str) -> str:
    if event.build not in placed:
        return f"{slug}#{event.build} was never placed"
    if event.crash and (not event.bad or event.kind == Trouble.INSTALL):
        return "it has a crash, and neither a session nor a launch that ended badly"
    if event.crash and any(module >= len(event.crash.modules) for module, _ in event.crash.frames):
        return "a frame of its crash names a module that is not listed"
    # Both by the device's clock, so that one which is years off does not matter.
    age = batch.sent_at.astimezone(dt.UTC) - event.at.astimezone(dt.UTC)
    if age < -AHEAD:
        return "it happens after it is sent"
    if age > OLDEST:
        return f"it is older than {OLDEST.days} days"
    return ""


def _row(
    event: wire.HealthEvent, batch: wire.HealthBatch, now: dt.datetime, build: uuid.UUID, turn: int
) -> dict[str, object]:
    age = max(dt.timedelta(), batch.sent_at - event.at)
    return {
        "build_id": build,
        "device": batch.device,
        "at": now - age,
        "received_at": now,
        "kind": event.kind,
        "bad": event.bad,
        "cause": event.cause,
        "seconds": event.seconds,
        "form": batch.form,
        "level": batch.level,
        "turn": turn,
        "simulated": batch.simulated,
    }
