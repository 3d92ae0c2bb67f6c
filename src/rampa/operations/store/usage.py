"""What the store holds: by title, by channel, by age, and how it grew."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict

from sqlalchemy import func, select
from sqlalchemy.orm import undefer

from rampa.core.build.life import BuildState
from rampa.core.placement.life import LIVE
from rampa.core.platform.table import line_title
from rampa.db import BuildRow, BundleRow, ChunkRow, DifferenceSetRow, FrameRow, PackRow, PlacementRow
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.content.stored_trees import split_digests
from rampa.operations.layout.kept import kept_for_players
from rampa.operations.store.needed import build_chunks
from rampa.schema import store as wire

AGES = ((1, "a day"), (7, "a week"), (30, "a month"), (90, "three months"))
DAYS = 60


def usage(services: Services) -> wire.UsageOut:
    """Bytes as stored. What several titles or channels share is counted for each of them, and once in the whole."""
    with begin(services) as uow:
        packs = list(uow.session.execute(select(PackRow.size, PackRow.created_at, PackRow.condemned_at)).all())
        differences = uow.session.scalar(select(func.coalesce(func.sum(DifferenceSetRow.size), 0))) or 0
        past = uow.session.scalar(select(func.coalesce(func.sum(PackRow.size), 0)).where(PackRow.past)) or 0
        shares = _shares(uow)
        builds = list(uow.session.scalars(select(BuildRow).where(BuildRow.state == BuildState.READY)))
        bundles = _bundles(uow)
        titles: dict[str, set[bytes]] = defaultdict(set)
        counts: dict[str, int] = defaultdict(int)
        channels: dict[str, set[bytes]] = defaultdict(set)
        live = _live(uow)
        for build in builds:
            chunks = build_chunks(services, build)
            titles[build.title.slug] |= chunks | bundles.get(build.id, set())
            counts[build.title.slug] += 1
            for channel in live.get(build.id, ()):
                channels[channel] |= chunks
        players = kept_for_players(uow)
        needed = set().union(*titles.values()) if titles else set()
    whole = sum(size for size, _, _ in packs)
    return wire.UsageOut(
        packs=len(packs),
        size=whole,
        # Before anything is condemned, what nobody needs still lies in packs; never more than there is.
        needed=min(whole, _sum(shares, needed) + sum(p.size for p in players)),
        condemned=sum(size for size, _, gone in packs if gone),
        differences=int(differences),
        past=int(past),
        players=players,
        titles=[
            wire.UsageLine(name=name, size=_sum(shares, held), builds=counts[name])
            for name, held in sorted(titles.items())
        ],
        channels=[
            wire.UsageLine(name=name, size=_sum(shares, held), builds=1) for name, held in sorted(channels.items())
        ],
        ages=_ages(services.now(), [(size, made) for size, made, _ in packs]),
        growth=_growth(services.now(), [(size, made) for size, made, _ in packs]),
    )


def _shares(uow: UnitOfWork) -> dict[bytes, float]:
    columns = (ChunkRow.digest, ChunkRow.size, FrameRow.stored, FrameRow.raw)
    rows = select(*columns).join(FrameRow, FrameRow.id == ChunkRow.frame_id)
    rows = rows.join(PackRow, PackRow.digest == FrameRow.pack_digest).where(PackRow.for_players.is_(False))
    shares: dict[bytes, float] = defaultdict(float)
    for digest, size, stored, raw in uow.session.execute(rows):
        shares[digest] += stored * size / raw
    return shares


def _sum(shares: dict[bytes, float], chunks: set[bytes]) -> int:
    return round(sum(shares.get(d, 0.0) for d in chunks))


def _bundles(uow: UnitOfWork) -> dict[object, set[bytes]]:
    rows = uow.session.scalars(select(BundleRow).options(undefer(BundleRow.chunks)))
    return {b.build_id: set(split_digests(b.chunks)) for b in rows}


def _live(uow: UnitOfWork) -> dict[object, list[str]]:
    out: dict[object, list[str]] = defaultdict(list)
    for placement in uow.session.scalars(select(PlacementRow).where(PlacementRow.state.in_(LIVE))):
        line = line_title(placement.line.platform, placement.line.storefront)
        name = f"{placement.build.title.slug} {placement.channel.name}, {line}"
        out[placement.build_id].append(name)
    return out


def _ages(now: dt.datetime, packs: list[tuple[int, dt.datetime]]) -> list[wire.AgeLine]:
    out, low = [], 0
    for days, name in AGES:
        chosen = [size for size, made in packs if low <= (now - made).total_seconds() / 86400 < days]
        out.append(wire.AgeLine(name=f"up to {name}", packs=len(chosen), size=sum(chosen)))
        low = days
    old = [size for size, made in packs if (now - made).total_seconds() / 86400 >= low]
    return [*out, wire.AgeLine(name="older", packs=len(old), size=sum(old))]


def _growth(now: dt.datetime, packs: list[tuple[int, dt.datetime]]) -> list[wire.GrowthPoint]:
    """The bytes that were there at each day's end, of what is there today."""
    first = min((made for _, made in packs), default=now).date()
    start = max(first, (now - dt.timedelta(days=DAYS)).date())
    days = [start + dt.timedelta(days=n) for n in range((now.date() - start).days + 1)]
    return [wire.GrowthPoint(day=day, size=sum(size for size, made in packs if made.date() <= day)) for day in days]
