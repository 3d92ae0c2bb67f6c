"""A build's packs for players, made in the background: tried, chosen, written pack by pack, and ready at once.

Killed anywhere, the next worker goes on behind the last pack that was recorded: the same choice gives the same frames.
"""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.build.life import BuildState
from rampa.core.content.depots.choice import Selector
from rampa.core.content.layout.frames import FramePlan
from rampa.core.content.layout.groups import Groups, groups_of, together
from rampa.core.content.layout.life import LayoutEvent, LayoutState
from rampa.core.content.layout.making import MadeFrame, make_frames
from rampa.core.content.layout.order import FileOrder, order_of
from rampa.core.content.layout.side_by_side import side_by_side
from rampa.core.content.layout.trial import Bounds, try_ways
from rampa.core.content.pack.new_frame import NewFrame
from rampa.core.content.pack.pack import is_full
from rampa.core.content.tree.columns import Digests
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import RampaError
from rampa.core.profile.resolved import resolve
from rampa.db import (
    BuildRow,
    ChunkRow,
    ContentKeyRow,
    FrameRow,
    LayoutPackRow,
    LayoutRow,
    load_document,
    queue,
    store_state,
)
from rampa.operations.base import Services, begin, service_actor, transition
from rampa.operations.content.copies import locate
from rampa.operations.content.frames import content_key
from rampa.operations.content.packing import Key, write_pack
from rampa.operations.content.stored_bytes import StoredFileBytes
from rampa.operations.content.stored_trees import depot_trees, selectors_of
from rampa.operations.content.visibility import is_offered, visibility_of
from rampa.operations.layout.players import audience_of, choices_of
from rampa.schema.layout import LayoutChoice
from rampa.schema.layout_choice import chosen_way, described
from rampa.system import CLOCK

WORKER = "the worker"
WORTH = 0.97
"""They are made where they take at most this share of the small frames."""


@dataclass(frozen=True)
class _Content:
    """All depots of a build, side by side."""

    tree: Tree
    depots: Mapping[str, Tree]
    selectors: Mapping[str, Selector]
    order: FileOrder
    bytes_: StoredFileBytes
    keys: Mapping[str, Key]

    def groups(self, choices: Sequence[Sequence[str]]) -> Groups:
        """By the choices that devices have."""
        classes = together(self.selectors, [frozenset(depots) for depots in choices])
        return groups_of(self.tree, self.depots, classes, frozenset(self.keys))

    def key_of(self, depot: str) -> Key | None:
        return self.keys[depot] if depot else None


def lay_out(services: Services, build_id: str) -> None:
    """For the queue. Raises what may be tried again; what went wrong is said with the layout."""
    key = uuid.UUID(build_id)
    with begin(services) as uow:
        row = uow.session.get(LayoutRow, key)
        if row is None or row.state not in (LayoutState.WAITING, LayoutState.MAKING):
            return
        build, choice = row.build, row.choice
    if build.state != BuildState.READY:
        return
    try:
        content = _content(services, build)
        if choice is None:
            choice = _try(services, build, content)
            if _skip(services, key, content, choice):
                return
        if _begin(services, key, content, choice):
            _make(services, build, content, choice)
    except (RampaError, OSError) as error:
        _note(services, key, error.sentence() if isinstance(error, RampaError) else str(error))
        raise


def _content(services: Services, build: BuildRow) -> _Content:
    trees = depot_trees(services, build)
    whole = side_by_side(trees)
    bytes_ = StoredFileBytes(services, whole)
    order = order_of(whole, bytes_.read)
    return _Content(whole, trees, selectors_of(build), order, bytes_, _keys(services, build))


def _keys(services: Services, build: BuildRow) -> dict[str, Key]:
    """Depot -> its key, of those that are encrypted."""
    with begin(services) as uow:
        rows = uow.session.scalars(select(ContentKeyRow).where(ContentKeyRow.build_id == build.id))
        idents = {row.depot: row.id for row in rows}
    return {depot: (ident, content_key(services, ident)) for depot, ident in idents.items()}


def _try(services: Services, build: BuildRow, content: _Content) -> LayoutChoice:
    with begin(services) as uow:
        audience, devices = audience_of(uow, build)
        depots = choices_of(uow, build)
        profile = resolve(load_document(uow.session, build.title, build.revision), build.profile)
    bounds = Bounds(services.layout.seconds, min(services.layout.frame, profile.settings.content.player_frame))
    trial = try_ways(content.tree, content.order, content.bytes_.read, audience, CLOCK, bounds)
    return described(trial, audience, devices, depots)


def _skip(services: Services, key: uuid.UUID, content: _Content, choice: LayoutChoice) -> bool:
    """Where the small frames, as they lie, are nearly as small."""
    with begin(services, service_actor(WORKER)) as uow:
        now = sum(f.stored for f in set(locate(uow, content.tree.chunks.digests).frames))
        row = uow.session.get(LayoutRow, key, with_for_update=True)
        expected = next(w.size for w in choice.ways if w.chosen)
        if row is None or row.state != LayoutState.WAITING or expected <= now * WORTH:
            return False
        transition(uow, row, LayoutEvent.SKIP)
        row.choice, row.expected, row.ended_at = choice, expected, uow.now
        row.note = f"they would take {expected:,} bytes, and the small frames take {now:,}"
        return True


def _begin(services: Services, key: uuid.UUID, content: _Content, choice: LayoutChoice) -> bool:
    with begin(services, service_actor(WORKER)) as uow:
        row = uow.session.get(LayoutRow, key, with_for_update=True)
        if row is None or row.state not in (LayoutState.WAITING, LayoutState.MAKING):
            return False
        if row.state == LayoutState.WAITING:
            transition(uow, row, LayoutEvent.BEGIN)
            row.started_at = uow.now
        row.choice, row.note = choice, ""
        row.content = sum(content.tree.chunks.sizes)
        row.expected = next(w.size for w in choice.ways if w.chosen)
        return True


def _make(services: Services, build: BuildRow, content: _Content, choice: LayoutChoice) -> None:
    way, used = chosen_way(choice)
    done = _made(services, build)
    wanted = _not_in(done)
    # As they were when it was begun: whoever goes on must make the same frames.
    groups = content.groups(choice.depots)
    frames = make_frames(content.tree, content.order, groups.numbers, content.bytes_.read, way, used, wanted)
    for group, pack in _packs(frames):
        if not _write(services, build, pack, content.key_of(groups.apart[group])):
            return
    _finish(services, build)


def _not_in(done: Digests) -> Callable[[FramePlan], bool]:
    def wanted(plan: FramePlan) -> bool:
        return bool((done.find_all(Digests.of(c.digest for c in plan.chunks)) < 0).any())

    return wanted


def _made(services: Services, build: BuildRow) -> Digests:
    """The chunks that lie in packs of this layout."""
    rows = select(ChunkRow.digest).join(FrameRow, FrameRow.id == ChunkRow.frame_id)
    rows = rows.join(LayoutPackRow, LayoutPackRow.pack_digest == FrameRow.pack_digest)
    with begin(services) as uow:
        return Digests.of(uow.session.scalars(rows.where(LayoutPackRow.build_id == build.id)))


def _packs(frames: Iterator[MadeFrame]) -> Iterator[tuple[int, list[NewFrame]]]:
    """As many as make a pack each; those of a group together."""
    open_: dict[int, list[NewFrame]] = defaultdict(list)
    for made in frames:
        pack = open_[made.group]
        pack.append(NewFrame(made.chunks, made.stored, made.raw))
        if is_full(sum(len(f.stored) for f in pack), sum(f.raw for f in pack)):
            yield made.group, open_.pop(made.group)
    yield from open_.items()


def _write(services: Services, build: BuildRow, frames: list[NewFrame], key: Key | None) -> bool:
    """Bytes before rows, rows before the count. False: it was stopped meanwhile."""
    with begin(services, service_actor(WORKER)) as uow:
        row = uow.session.get(LayoutRow, build.id, with_for_update=True)
        if row is None or row.state != LayoutState.MAKING:
            return False
        digest, size = write_pack(uow, frames, visibility_of(uow, build), key, for_players=True)
        link = insert(LayoutPackRow).values(build_id=build.id, pack_digest=digest)
        uow.session.execute(link.on_conflict_do_nothing())
        row.done += sum(f.raw for f in frames)
        row.size += size
        queue.tell(uow.session, f"title/{build.title.slug}")
    return True


def _finish(services: Services, build: BuildRow) -> None:
    with begin(services, service_actor(WORKER)) as uow:
        row = uow.session.get(LayoutRow, build.id, with_for_update=True)
        if row is None or row.state != LayoutState.MAKING:
            return
        # From here on devices are told of them: all at once.
        transition(uow, row, LayoutEvent.FINISH)
        row.ended_at = uow.now
        store_state(uow.session, lock=True).epoch += 1
        packs = list(uow.session.scalars(select(LayoutPackRow.pack_digest).where(LayoutPackRow.build_id == build.id)))
        offered = is_offered(uow, build)
        queue.tell(uow.session, f"title/{build.title.slug}")
    for pack in packs if offered else ():
        services.store.offer_pack(pack)


def _note(services: Services, key: uuid.UUID, why: str) -> None:
    with begin(services) as uow:
        row = uow.session.get(LayoutRow, key, with_for_update=True)
        if row is not None:
            row.note = why[:400]
