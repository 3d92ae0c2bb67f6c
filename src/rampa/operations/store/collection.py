"""Collecting what nothing needs, in two phases: packs are condemned first, and removed some time later.

An upload that asks which chunks are missing rescues condemned packs that hold them (`rescue` in operations/content/arrival.py);
packs that arrived lately are never condemned, since no manifest may name them yet. Rows go before bytes, so an interruption
leaves files that no row points at; the next collection removes those.
"""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import select, update

from rampa.core.build.life import BuildState
from rampa.core.errors import Refused
from rampa.db import BuildRow, DifferenceSetRow, LayoutPackRow, PackRow, store_state
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.content.arrival import forget_pack
from rampa.operations.layout.kept import forget_layouts
from rampa.operations.store.needed import needed_chunks, needed_manifests, packs_of
from rampa.operations.updates.needed_differences import forget_of, forget_unused
from rampa.schema import store as wire

YOUNG = dt.timedelta(hours=24)
"""What arrived so lately may belong to an upload that goes on."""
GRACE = dt.timedelta(hours=1)
"""Between the two phases: a device or an upload that reads a condemned pack gets that long."""


@dataclass(frozen=True)
class _Found:
    """`packs`: digest -> size of what nothing needs; `files`, `manifests`: what no row points at."""

    packs: dict[bytes, int]
    condemned: dict[bytes, int]
    files: dict[bytes, int]
    manifests: dict[bytes, int]
    differences: dict[bytes, int]
    """Those of builds that are gone, and those that are no step from what players have."""


def preview(services: Services, young: dt.timedelta = YOUNG, grace: dt.timedelta = GRACE) -> wire.CollectOut:
    """What a collection would condemn and remove now. Changes nothing."""
    with begin(services) as uow, uow.session.begin_nested() as tried:
        # What goes with it is asked of the same code that lets it go, and put back.
        out = _out(uow, _find(uow, young, grace))
        tried.rollback()
        return out


def collect(
    services: Services, actor: Actor | None = None, young: dt.timedelta = YOUNG, grace: dt.timedelta = GRACE
) -> wire.CollectOut:
    """Condemns what nothing needs, and removes what was condemned long enough ago. Can be interrupted anywhere."""
    now = services.now()
    with begin(services, actor or service_actor("the hourly collection")) as uow:
        state = store_state(uow.session, lock=True)
        if state.held_until and state.held_until > now:
            raise Refused(
                "store.held",
                f"a backup is being made until {state.held_until:%H:%M} UTC at the latest: nothing is removed",
                hint="Collect again when it has ended.",
            )
        found = _find(uow, young, grace)
        out = _out(uow, found)
        # What is needed again is not condemned any more.
        keep = select(PackRow.digest).where(PackRow.condemned_at.is_not(None), PackRow.digest.not_in(list(found.packs)))
        uow.session.execute(update(PackRow).where(PackRow.digest.in_(keep)).values(condemned_at=None))
        fresh = update(PackRow).where(PackRow.digest.in_(list(found.packs)), PackRow.condemned_at.is_(None))
        uow.session.execute(fresh.values(condemned_at=now))
        removed = list(found.condemned)
        for digest in removed:
            forget_pack(uow, digest)
        if removed:
            store_state(uow.session).epoch += 1
        if removed or found.files or actor:
            audit.record(uow, "store.collect", "store", "", packs=len(removed), frees=out.frees)
    for digest in [*removed, *found.files, *found.differences]:
        services.store.remove_pack(digest)
    for digest in found.manifests:
        services.store.remove_manifest(digest)
    return out


def hold(services: Services, most: dt.timedelta) -> dt.datetime:
    """While a backup is made nothing is removed, for `most` at the longest; returns when that ends."""
    with begin(services) as uow:
        state = store_state(uow.session, lock=True)
        until = services.now() + most
        # A longer hold by another backup must not be cut short by this one.
        state.held_until = max(until, state.held_until or until)
        return state.held_until


def let_go(services: Services, until: dt.datetime) -> None:
    """The backup has ended; another that began meanwhile holds on."""
    with begin(services) as uow:
        state = store_state(uow.session, lock=True)
        if state.held_until == until:
            state.held_until = None


def _find(uow: UnitOfWork, young: dt.timedelta, grace: dt.timedelta) -> _Found:
    now, differences = uow.now, _forget(uow)
    packs = {p.digest: p for p in uow.session.scalars(select(PackRow))}
    needed = packs_of(uow, needed_chunks(uow)) | set(uow.session.scalars(select(LayoutPackRow.pack_digest)))
    idle = {d: p.size for d, p in packs.items() if d not in needed and p.created_at <= now - young}
    ripe = {d: n for d, n in idle.items() if (c := packs[d].condemned_at) is not None and c <= now - grace}
    offered = set(uow.session.scalars(select(DifferenceSetRow.pack).where(DifferenceSetRow.pack.is_not(None))))
    old = (now - young).timestamp()
    files = {s.digest: s.size for s in uow.services.store.packs() if s.digest not in packs and s.written <= old}
    named = needed_manifests(uow)
    manifests = {s.digest: s.size for s in uow.services.store.manifests() if s.digest not in named and s.written <= old}
    # Differences lie in files of their own, which no pack's row names.
    lost = {d: n for d, n in files.items() if d not in offered and d not in differences}
    return _Found(idle, ripe, lost, manifests, differences)


def _forget(uow: UnitOfWork) -> dict[bytes, int]:
    """Lets go of the differences and of the packs for players that nobody needs; returns the differences' files, in bytes."""
    gone = select(BuildRow.id).where(BuildRow.state.in_((BuildState.REMOVED, BuildState.ABANDONED)))
    sizes = dict(uow.session.execute(select(DifferenceSetRow.pack, DifferenceSetRow.size)).all())
    # Before the rows of builds are asked what they need: what a removed build's differences need, nobody does.
    forgotten = forget_of(uow, list(uow.session.scalars(gone)))
    forgotten += forget_unused(uow)
    forget_layouts(uow)
    return {pack: sizes.get(pack, 0) for pack in forgotten}


def _out(uow: UnitOfWork, found: _Found) -> wire.CollectOut:
    ages = dict(
        uow.session.execute(
            select(PackRow.digest, PackRow.created_at).where(PackRow.digest.in_(list(found.packs)))
        ).all()
    )
    rows = [
        wire.IdlePack(pack=d.hex(), size=n, created_at=ages[d], ripe=d in found.condemned)
        for d, n in sorted(found.packs.items(), key=lambda p: -p[1])
    ]
    return wire.CollectOut(
        packs=rows[:500],
        packs_in_all=len(rows),
        idle=sum(found.packs.values()),
        condemned=len(found.packs) - len(found.condemned),
        removed=len(found.condemned),
        frees=sum(found.condemned.values())
        + sum(sum(f.values()) for f in (found.files, found.manifests, found.differences)),
        files=len(found.files),
        manifests=len(found.manifests),
        differences=len(found.differences),
    )
