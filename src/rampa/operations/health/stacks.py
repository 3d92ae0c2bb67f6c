"""Stacks of crashes: kept once each as they are reported, and looked up in the symbols that builds keep."""

from __future__ import annotations

import datetime as dt
import tempfile
import uuid
from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert as upsert

from rampa.core.apart import LONG
from rampa.core.binaries import lines
from rampa.core.binaries.lines import Place
from rampa.core.errors import RampaError
from rampa.core.health.crash import CrashReport, NamedFrame, named, place_of, wanted_symbols
from rampa.db import BuildRow, CrashGroupRow, CrashRow, CrashStackRow, SymbolFileRow, TitleRow, locked, new_id, queue
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.content.stored_trees import manifest_tree, stream_chunks

MOST_STACKS = 2000
"""Of one build. A build that is broken has some dozens; somebody who makes them up gets no further."""
MOST_SYMBOLS = 4 << 30
"""Bytes of one module's symbols."""
AT_ONCE = 200


Key = tuple[uuid.UUID, bytes]
"""A build, and a stack's digest."""


def keep_stacks(
    uow: UnitOfWork, title: TitleRow, reports: Sequence[tuple[uuid.UUID, CrashReport]]
) -> dict[Key, uuid.UUID]:
    """(build, digest) -> stack, for each that is kept. New ones are put into the queue to be looked up."""
    wanted = {(build, report.digest): report for build, report in reports}
    found = _known(uow, wanted)
    room = {build: MOST_STACKS - _count(uow, build) for build in {b for b, _ in wanted.keys() - found.keys()}}
    rows = []
    for build, digest in sorted(wanted.keys() - found.keys()):
        if room[build] > 0:
            room[build] -= 1
            rows.append(
                {
                    "id": new_id(),
                    "created_at": uow.now,
                    "title_id": title.id,
                    "build_id": build,
                    "digest": digest,
                    "report": wanted[build, digest],
                }
            )
    if rows:
        # Two devices may be the first to say the same at the same moment.
        uow.session.execute(upsert(CrashStackRow).on_conflict_do_nothing(), rows)
        queue.put(uow.session, "look_up_crashes", queue.CONTENT, lock="look_up_crashes")
        found |= _known(uow, wanted.keys() - found.keys())
    return found


def _known(uow: UnitOfWork, keys: Collection[Key]) -> dict[Key, uuid.UUID]:
    rows = select(CrashStackRow.build_id, CrashStackRow.digest, CrashStackRow.id).where(
        CrashStackRow.build_id.in_({b for b, _ in keys}), CrashStackRow.digest.in_({d for _, d in keys})
    )
    return {(b, d): i for b, d, i in uow.session.execute(rows) if (b, d) in keys}


def _count(uow: UnitOfWork, build: uuid.UUID) -> int:
    return uow.session.scalar(select(func.count()).where(CrashStackRow.build_id == build)) or 0


def look_up(services: Services) -> int:
    """Gives every stack that has none its names and its group; returns how many. Done again after a kill, nothing is counted
    twice: a stack is given both in one transaction."""
    done = 0
    while True:
        with begin(services) as uow:
            rows = select(CrashStackRow).where(CrashStackRow.group_id.is_(None)).order_by(CrashStackRow.id)
            stacks = list(uow.session.scalars(rows.limit(AT_ONCE)))
            wanted = _addresses(stacks)
            files = {ident: _symbol_file(uow, title, ident) for title, ident in wanted}
        if not stacks:
            return done
        found = {key: _read(services, files[key[1]], addresses) for key, addresses in wanted.items()}
        for stack in stacks:
            own = {ident: places for (title, ident), places in found.items() if title == stack.title_id}
            _group(services, stack, named(stack.report, own))
        done += len(stacks)


def _addresses(stacks: Sequence[CrashStackRow]) -> dict[tuple[uuid.UUID, str], set[int]]:
    """(title, build id) -> addresses to look up, so that each module's symbols are read once for all stacks."""
    wanted: dict[tuple[uuid.UUID, str], set[int]] = defaultdict(set)
    for stack in stacks:
        for ident, addresses in wanted_symbols(stack.report).items():
            wanted[stack.title_id, ident] |= addresses
    return wanted


def _symbol_file(uow: UnitOfWork, title: uuid.UUID, ident: str) -> tuple[bytes, str, int] | None:
    """(manifest, path, size) of a module's symbols in the newest build of this title that keeps them."""
    rows = (
        select(SymbolFileRow)
        .join(BuildRow, BuildRow.id == SymbolFileRow.build_id)
        .where(SymbolFileRow.ident == ident, BuildRow.title_id == title)
        .order_by(BuildRow.number.desc())
        .limit(1)
    )
    row = uow.session.scalar(rows)
    kept = row.build.symbols if row else None
    return (kept.manifest, row.path, row.size) if row and kept else None


def _read(
    services: Services, file: tuple[bytes, str, int] | None, addresses: set[int]
) -> Mapping[int, tuple[Place, ...]]:
    """Symbols come from machines of others, and are read where a reader can be ended; what cannot be read has no names."""
    if file is None or file[2] > MOST_SYMBOLS:
        return {}
    manifest, path, _ = file
    try:
        entry = next(f for f in manifest_tree(services, manifest).files if f.path == path)
        with tempfile.NamedTemporaryFile(prefix="rampa-symbols-") as out:
            for piece in stream_chunks(services, (c.digest for c in entry.chunks)):
                out.write(piece)
            out.flush()
            return LONG.read(lines.places, Path(out.name), sorted(addresses))
    except (RampaError, StopIteration):
        return {}


def _group(services: Services, stack: CrashStackRow, frames: tuple[NamedFrame, ...]) -> None:
    place = place_of(frames)
    with begin(services) as uow:
        row = next(iter(locked(uow.session, select(CrashStackRow).where(CrashStackRow.id == stack.id))), None)
        if row is None or row.group_id is not None:
            return
        build = uow.session.get_one(BuildRow, row.build_id)
        group = uow.session.scalar(
            select(CrashGroupRow).where(CrashGroupRow.title_id == row.title_id, CrashGroupRow.key == place.key)
        )
        if group is None:
            newest = uow.session.scalar(
                select(func.max(CrashGroupRow.number)).where(CrashGroupRow.title_id == row.title_id)
            )
            group = CrashGroupRow(
                title=build.title,
                number=(newest or 0) + 1,
                key=place.key,
                place=place.name[:600],
                reason=stack.report.reason,
                first_build=build,
                created_at=uow.now,
            )
            uow.session.add(group)
        elif build.number < group.first_build.number:
            group.first_build, group.place = build, place.name[:600]
        row.frames, row.group = list(frames), group
        queue.tell(uow.session, f"title/{build.title.slug}")


def forget_crashes(uow: UnitOfWork, before: dt.datetime) -> None:
    """Crashes of before; their groups stay, so that the first build that had one stays known."""
    uow.session.execute(delete(CrashRow).where(CrashRow.at < before))
