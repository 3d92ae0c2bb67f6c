"""Packs by who may read them: what a build delivers is brought, whole packs or copies, to where its readers may read.

A pack rises as it lies where all that is in it may be read; else the chunks that are wanted are copied out of it.
"""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Iterable

from sqlalchemy import select, update

from rampa.core.build.life import BuildState
from rampa.core.content.pack.pack import index_size, read_index
from rampa.core.content.visibility import Visibility
from rampa.core.placement.channels import Audience
from rampa.core.placement.life import LIVE, PlacementState
from rampa.db import (
    BuildRow,
    ChannelRow,
    ContentKeyRow,
    DifferenceSetRow,
    LayoutPackRow,
    PackRow,
    PlacementRow,
    store_state,
)
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.content.copies import Copy, copies_of, frames_of
from rampa.operations.content.packing import write_packs
from rampa.operations.content.stored_trees import manifest_tree, split_digests

TAIL = 64 * 1024
LEVELS = (Visibility.OFFERED, Visibility.EVERYBODY)
WAS_LIVE = (*LIVE, PlacementState.SUPERSEDED)
"""A build that a later one replaced is still on devices, which verify, repair and go back to it."""


def is_offered(uow: UnitOfWork, build: BuildRow) -> bool:
    """Live on a channel, or was until another build came; not where it was only withdrawn."""
    rows = select(PlacementRow.id).where(PlacementRow.build_id == build.id, PlacementRow.state.in_(WAS_LIVE))
    return build.state == BuildState.READY and uow.session.scalar(rows.limit(1)) is not None


def for_everybody(uow: UnitOfWork, builds: Iterable[uuid.UUID]) -> set[uuid.UUID]:
    """Those of these builds that everybody may read."""
    rows = select(PlacementRow.build_id).join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
    rows = rows.join(BuildRow, BuildRow.id == PlacementRow.build_id).where(BuildRow.state == BuildState.READY)
    rows = rows.where(PlacementRow.build_id.in_(builds), PlacementRow.state.in_(WAS_LIVE))
    return set(uow.session.scalars(rows.where(ChannelRow.audience == Audience.FOR_EVERYBODY)))


def visibility_of(uow: UnitOfWork, build: BuildRow) -> Visibility:
    return visibilities_of(uow, [build])[build.id]


def visibilities_of(uow: UnitOfWork, builds: Iterable[BuildRow]) -> dict[uuid.UUID, Visibility]:
    """In one query, however many there are."""
    found = {b.id: Visibility.BUILD for b in builds}
    rows = select(PlacementRow.build_id, ChannelRow.audience).join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
    rows = rows.join(BuildRow, BuildRow.id == PlacementRow.build_id).where(BuildRow.state == BuildState.READY)
    rows = rows.where(PlacementRow.build_id.in_(found), PlacementRow.state.in_(WAS_LIVE)).distinct()
    for build, audience in uow.session.execute(rows):
        level = Visibility.EVERYBODY if audience == Audience.FOR_EVERYBODY else Visibility.OFFERED
        found[build] = max(found[build], level)
    return found


def show(services: Services, build: uuid.UUID) -> None:
    """Brings a ready build's content to where its readers may read. Can be interrupted anywhere, and done again."""
    with begin(services) as uow:
        row = uow.session.get(BuildRow, build)
        if row is None or row.state != BuildState.READY:
            return
        store_state(uow.session, lock=True)
        show_in(uow, row)
        offered = _offered_packs(uow, row) if is_offered(uow, row) else set()
    # After the commit: until then the rows may still be taken back.
    for pack in sorted(offered):
        services.store.offer_pack(pack)


def show_in(uow: UnitOfWork, build: BuildRow) -> None:
    """The same in the caller's transaction. The bundle stays apart: devices never read it out of packs."""
    sealed = uow.session.scalar(select(ContentKeyRow.id).where(ContentKeyRow.build_id == build.id).limit(1)) is not None
    level = visibility_of(uow, build)
    _rise(uow, _delivered(uow.services, build), level, sealed)
    _rise_for_players(uow, build, level)
    if build.bundle is not None:
        _rise(uow, split_digests(build.bundle.chunks), Visibility.BUILD, sealed=False)


def lower(services: Services) -> int:
    """Packs with content that nobody is offered any more are not offered any more; what others need of them is copied
    when it is shown again. Returns how many."""
    with begin(services) as uow:
        store_state(uow.session, lock=True)
        rows = uow.session.scalars(select(BuildRow).where(BuildRow.state == BuildState.READY))
        offered: dict[Visibility, set[bytes]] = {level: set() for level in LEVELS}
        for build in rows:
            seen_by = visibility_of(uow, build)
            for level in LEVELS:
                offered[level] |= _delivered(services, build) if level <= seen_by else set()
        packs = uow.session.scalars(select(PackRow).where(PackRow.visibility >= Visibility.OFFERED))
        lowered = 0
        digests = []
        for pack in packs:
            inside = _chunks_in(services, pack)
            level = max((each for each in LEVELS if inside <= offered[each]), default=Visibility.BUILD)
            if level < pack.visibility:
                pack.visibility = level
                lowered += 1
                digests += [pack.digest] if level == Visibility.BUILD else []
        if lowered:
            store_state(uow.session).epoch += 1
        sets = uow.session.scalars(select(DifferenceSetRow).where(DifferenceSetRow.pack.is_not(None)))
        digests += [s.pack for s in sets if s.pack and not is_offered(uow, s.new)]
    for digest in digests:
        services.store.withdraw_pack(digest)
    return lowered


def settle(services: Services) -> None:
    """All of it again, in one pass over what builds share: what an upgrade, a restored backup or a kill in the middle left."""
    lower(services)
    with begin(services) as uow:
        store_state(uow.session, lock=True)
        wanted: dict[tuple[Visibility, bool], set[bytes]] = defaultdict(set)
        bundles: set[bytes] = set()
        sealed = set(uow.session.scalars(select(ContentKeyRow.build_id)))
        for build in uow.session.scalars(select(BuildRow).where(BuildRow.state == BuildState.READY)):
            level = visibility_of(uow, build)
            wanted[level, build.id in sealed] |= _delivered(services, build)
            _rise_for_players(uow, build, level)
            bundles |= set(split_digests(build.bundle.chunks)) if build.bundle is not None else set()
        for (level, encrypted), digests in sorted(wanted.items()):
            _rise(uow, digests, level, encrypted)
        _rise(uow, bundles, Visibility.BUILD, sealed=False)
        offered = set(uow.session.scalars(select(PackRow.digest).where(PackRow.visibility >= Visibility.OFFERED)))
        made = uow.session.scalars(select(DifferenceSetRow).where(DifferenceSetRow.pack.is_not(None)))
        offered |= {row.pack for row in made if row.pack and is_offered(uow, row.new)}
    for pack in sorted(offered):
        services.store.offer_pack(pack)


def _delivered(services: Services, build: BuildRow) -> set[bytes]:
    """Digests of the chunks of its depots."""
    return {d for depot in build.depots for d in manifest_tree(services, depot.manifest).chunks.digests}


def _rise(uow: UnitOfWork, digests: Iterable[bytes], level: Visibility, sealed: bool) -> None:
    lacking: dict[bytes, Copy] = {}
    for copies in copies_of(uow, dict.fromkeys(digests)):
        for digest, found in copies.items():
            if not any(_serves(c, level, sealed) for c in found):
                # Of a sealed build the plain copy is what nobody may read; there is none but that only where it was
                # public once.
                lacking[digest] = min(found, key=lambda c: (c.plain == sealed, -c.visibility, c.frame))
    packs: dict[bytes, list[Copy]] = defaultdict(list)
    for copy in lacking.values():
        packs[copy.frame.pack].append(copy)
    apart: list[Copy] = []
    for digest in sorted(packs):
        row = uow.session.get_one(PackRow, digest)
        if not packs[digest][0].plain or _may_rise(uow, row, lacking.keys(), level):
            row.visibility = level
        else:
            apart += packs[digest]
    uow.session.flush()
    if apart:
        write_packs(uow, frames_of(uow.services, apart), level)
    if packs:
        # Where something lies for its readers is kept by this number.
        store_state(uow.session).epoch += 1


def _rise_for_players(uow: UnitOfWork, build: BuildRow, level: Visibility) -> None:
    """All that lies in them is the build's: they rise as they are."""
    inside = select(LayoutPackRow.pack_digest).where(LayoutPackRow.build_id == build.id)
    lower_ones = update(PackRow).where(PackRow.digest.in_(inside), PackRow.visibility < level)
    if uow.session.execute(lower_ones.values(visibility=level).returning(PackRow.digest)).all():
        store_state(uow.session).epoch += 1


def _serves(copy: Copy, level: Visibility, sealed: bool) -> bool:
    if copy.visibility < level:
        return False
    return not sealed or not copy.plain or copy.visibility >= Visibility.OFFERED


def _may_rise(uow: UnitOfWork, pack: PackRow, rising: Iterable[bytes], level: Visibility) -> bool:
    """All that is in it may be read there: by what its bytes hold, not by what rows still point at."""
    others = _chunks_in(uow.services, pack) - set(rising)
    shown = 0
    for copies in copies_of(uow, others):
        shown += sum(any(c.plain and c.visibility >= level for c in found) for found in copies.values())
    return shown == len(others)


def _chunks_in(services: Services, pack: PackRow) -> set[bytes]:
    tail = services.store.read_pack(pack.digest, max(0, pack.size - TAIL), TAIL)
    need = index_size(tail, pack.size)
    if need > len(tail):
        tail = services.store.read_pack(pack.digest, pack.size - need, need)
    return {c.digest for frame in read_index(tail, pack.size) for c in frame.chunks}


def _offered_packs(uow: UnitOfWork, build: BuildRow) -> set[bytes]:
    """The files that a device reads for this build, differences among them."""
    made = uow.session.scalars(select(DifferenceSetRow.pack).where(DifferenceSetRow.new_id == build.id))
    found = {pack for pack in made if pack is not None}
    found |= set(uow.session.scalars(select(LayoutPackRow.pack_digest).where(LayoutPackRow.build_id == build.id)))
    for copies in copies_of(uow, _delivered(uow.services, build)):
        found |= {c.frame.pack for rows in copies.values() for c in rows if c.visibility >= Visibility.OFFERED}
    return found
