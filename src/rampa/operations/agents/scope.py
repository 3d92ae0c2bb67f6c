"""What an agent may touch: itself, and what belongs to the runs that it holds at this moment; nothing else."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select

from rampa.core.errors import Conflict, Denied
from rampa.core.run import life
from rampa.db import BuildOriginRow, BuildRow, ChunkRow, FrameRow, RunAttemptRow, RunRow, TitleRow, find_folder
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.content.stored_trees import manifest_tree

HINT = "Stop working on it: it was given to another agent, cancelled, or ended."


def must_hold(services: Services, actor: Actor, asked: Mapping[str, Any]) -> None:
    """`asked`: the parts of an address: agent, title, build, folder, pack. Raises `Denied` for another agent, and `Conflict`
    for what belongs to no run that it holds."""
    if asked.get("agent", actor.agent) != actor.agent:
        raise Denied("agent.other", f"this is agent {actor.agent}; it speaks for itself alone", where="agent")
    if asked.keys() <= {"agent", "lease"}:
        return
    with begin(services, actor) as uow:
        runs = _held(uow, asked.get("title"))
        if not runs:
            raise _not_held("this agent has no such run")
        if "build" in asked and not _makes(uow, runs, asked["build"]):
            raise _not_held(f"no run of this agent makes build {asked['build']}")
        if "folder" in asked and asked["folder"] not in {r.order.folder for r in runs}:
            raise _not_held(f"no run of this agent builds folder {asked['folder']}")
        # A pack that is sent is named by its digest; one that is read must hold what a run is built from.
        if "pack" in asked and "title" not in asked and not _builds_from(uow, runs, asked["pack"]):
            raise _not_held("no run of this agent is built from this pack")


def _held(uow: UnitOfWork, slug: str | None) -> Sequence[RunRow]:
    rows = select(RunRow).join(RunAttemptRow).where(RunAttemptRow.agent_id == uow.actor.principal)
    rows = rows.where(RunRow.state.in_(life.HELD))
    if slug is not None:
        rows = rows.where(RunRow.title_id.in_(select(TitleRow.id).where(TitleRow.slug == slug)))
    return uow.session.scalars(rows).all()


def _makes(uow: UnitOfWork, runs: Sequence[RunRow], number: int) -> bool:
    rows = (
        select(BuildOriginRow.run)
        .join(BuildRow)
        .where(BuildRow.title_id == runs[0].title_id, BuildRow.number == number)
    )
    made_by = uow.session.scalar(rows)
    return bool(made_by) and made_by in {r.number for r in runs}


def _builds_from(uow: UnitOfWork, runs: Sequence[RunRow], pack: str) -> bool:
    rows = select(ChunkRow.digest).join(FrameRow).where(FrameRow.pack_digest == bytes.fromhex(pack))
    there = set(uow.session.scalars(rows))
    for run in runs:
        if run.order.folder:
            folder = find_folder(uow.session, run.title.slug, run.order.folder)
            if not there.isdisjoint(manifest_tree(uow.services, folder.manifest).chunks.digests):
                return True
    return False


def _not_held(said: str) -> Conflict:
    return Conflict("lease.lost", said, where="lease", hint=HINT)
