"""What only past builds have is packed again, small: the frames of their uploads are for updates, which nobody makes to them now.

Written first, as copies; then the rows of what lay before go, and its packs are found idle or packed again. A kill anywhere
leaves copies, of which the next time makes the same packs.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field

from sqlalchemy import delete, select

from rampa.core.build.life import BuildState
from rampa.core.content.layout.past import make_past, order_past
from rampa.core.content.tree.tree import Chunk
from rampa.core.content.visibility import Visibility
from rampa.db import BuildRow, ChunkRow, FrameRow, PackRow, StoreStateRow, placed_since, store_state
from rampa.operations.base import Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.content.copies import Copy, copies_of
from rampa.operations.content.packing import by_pack, write_pack
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.content.stored_bytes import ChunkSequence, StoredChunks
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.store.needed import needed_chunks
from rampa.operations.store.repack import repack

_looked = ResultCache(8)
WORKER = service_actor("the worker")
KEPT_FRAMES = 12
SHARE = 4
"""All of a title's past is laid out anew when what came to it is a quarter of it and more: so each byte is packed a few times."""


@dataclass
class _Past:
    """`builds` of one title and platform that are past, oldest first; `fresh` and `laid`: copies in packs of uploads, and in
    those of the past, by who may read them."""

    builds: list[BuildRow]
    fresh: dict[Visibility, dict[bytes, Copy]] = field(default_factory=lambda: defaultdict(dict))
    laid: dict[Visibility, dict[bytes, Copy]] = field(default_factory=lambda: defaultdict(dict))

    def due(self, visibility: Visibility, least: int) -> dict[bytes, Copy]:
        """What is to be packed, empty where too little came."""
        fresh, laid = self.fresh[visibility], self.laid[visibility]
        size = sum(c.size for c in fresh.values())
        if size < least:
            return {}
        return fresh | laid if SHARE * size >= sum(c.size for c in laid.values()) else fresh


def lay_out_past(services: Services) -> int:
    """Returns how many packs were made."""
    if not services.layout.past:
        return 0
    with begin(services) as uow:
        groups, epoch = _past_builds(uow), uow.session.scalar(select(StoreStateRow.epoch)) or 0
    gone = frozenset(build.id for builds in groups for build in builds)
    # Looked at every hour: where nothing moved since, all chunks of all builds need not be looked at again.
    return _looked.get(
        (services.store, services.layout.past, gone, epoch), lambda: _lay_out_due(services, groups, gone)
    )


def _lay_out_due(services: Services, groups: list[list[BuildRow]], gone: frozenset[uuid.UUID]) -> int:
    made = 0
    with begin(services) as uow:
        kept = needed_chunks(uow, without=gone)
        pasts = [_gathered(uow, builds, kept) for builds in groups]
    for past in pasts:
        for visibility in Visibility:
            due = past.due(visibility, services.layout.past)
            if due:
                made += _lay_out(services, past, visibility, due)
    if made:
        # What is left of the uploads' packs: less than half, as a rule.
        repack(services, WORKER)
    return made


def _past_builds(uow: UnitOfWork) -> list[list[BuildRow]]:
    """By title and platform, oldest first: those that were replaced long enough ago, that nobody gets, may be given, or goes back
    to."""
    placed = set(uow.session.scalars(placed_since(uow.now - dt.timedelta(days=uow.services.layout.kept_days))))
    rows = select(BuildRow).where(BuildRow.state == BuildState.READY).order_by(BuildRow.version_code, BuildRow.number)
    groups: dict[tuple[uuid.UUID, str], list[BuildRow]] = defaultdict(list)
    for build in uow.session.scalars(rows):
        groups[build.title_id, build.platform].append(build)
    past = []
    for builds in groups.values():
        # Without anything live nobody knows which build is the one; a newer one than that waits for its placement.
        newest = max((b.version_code for b in builds if b.id in placed), default=-1)
        past.append([b for b in builds if b.id not in placed and not b.pinned and b.version_code <= newest])
    return [builds for builds in past if builds]


def _gathered(uow: UnitOfWork, builds: list[BuildRow], kept: set[bytes]) -> _Past:
    """Of the chunks that no other build, bundle or folder needs, those that lie plain."""
    past = _Past(builds)
    wanted = {d for build in builds for d in build_tree(uow.services, build).chunks.digests} - kept
    laid = set(uow.session.scalars(select(PackRow.digest).where(PackRow.past)))
    for copies in copies_of(uow, wanted):
        for digest, found in copies.items():
            plain = [c for c in found if c.plain]
            if plain:
                # One that lies elsewhere, too, is not done with: a kill came before its rows went.
                done = all(c.frame.pack in laid for c in plain)
                best = max(plain, key=lambda c: c.visibility)
                (past.laid if done else past.fresh)[best.visibility][digest] = best
    return past


def _lay_out(services: Services, past: _Past, visibility: Visibility, due: dict[bytes, Copy]) -> int:
    ordered = order_past((build_tree(services, b) for b in past.builds), set(due))
    content = StoredChunks(services, due, KEPT_FRAMES)

    def read(chunk: Chunk) -> bytes:
        return content.read(ChunkSequence([chunk.digest], [chunk.size]), 0, chunk.size)

    packs = set()
    for group in by_pack(make_past(ordered, read)):
        with begin(services, WORKER) as uow:
            packs.add(write_pack(uow, group, visibility, past=True)[0])
    with begin(services, WORKER) as uow:
        _forget(uow, list(due), packs)
        audit.record(uow, "store.past", past.builds[-1].title.name, past.builds[-1].title.slug, packs=len(packs))
    return len(packs)


def _forget(uow: UnitOfWork, digests: Sequence[bytes], packs: set[bytes]) -> None:
    """Whoever reads is sent to the new packs from then on; what lay before is found idle."""
    inside = select(FrameRow.id).join(PackRow, PackRow.digest == FrameRow.pack_digest)
    inside = inside.where(PackRow.digest.not_in(packs), PackRow.for_players.is_(False), FrameRow.key.is_(None))
    for at in range(0, len(digests), 5000):
        gone = ChunkRow.digest.in_(digests[at : at + 5000]) & ChunkRow.frame_id.in_(inside)
        uow.session.execute(delete(ChunkRow).where(gone))
    store_state(uow.session, lock=True).epoch += 1
