"""Finished builds that go to a channel by themselves: as the trigger, the branch's defaults or the profile say, in that order.

They go through the same checks and gates as by hand, in the name of what started the run. What did not go says why, and waits for
a person.
"""

from __future__ import annotations

import uuid

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.errors import NotFound
from rampa.core.profile.resolved import resolve
from rampa.core.run.triggers import matching
from rampa.db import BuildRow, RunRow, ScheduledRow, SourceRow, TriggerRow, find_title, load_document, run_to_hand_on
from rampa.operations.base import Services, UnitOfWork, audit, begin, service_actor
from rampa.operations.channels.lines import WHOLE
from rampa.operations.releases.schedule import new_scheduled, place_due

BRANCH = "branch/"


def place_by_itself(services: Services, build: uuid.UUID) -> None:
    """For the queue; twice is no error."""
    with begin(services) as uow:
        row = uow.session.get(BuildRow, build)
        run = run_to_hand_on(uow.session, row) if row is not None else None
    if row is None or run is None or row.state != BuildState.READY:
        return
    with begin(services, service_actor(run.started_by)) as uow:
        name = wanted_channel(uow, row, run)
        if not name or _is_scheduled(uow, row):
            return
        title = find_title(uow.session, row.title.slug, lock=True)
        try:
            scheduled = new_scheduled(uow, title, name, WHOLE, uow.now)
        except NotFound:
            # The document may name a channel that was removed, or that is still to be added.
            audit.record(uow, "scheduled.nowhere", row.name, title.slug, channel=name)
            return
        scheduled.build = uow.session.get_one(BuildRow, build)
        uow.session.add(scheduled)
        uow.session.flush()
        audit.record(uow, "scheduled.add", scheduled.name, title.slug, at="by itself")
    place_due(services)


def wanted_channel(uow: UnitOfWork, build: BuildRow, run: RunRow) -> str:
    """Empty: nobody said one."""
    if run.trigger:
        rows = select(TriggerRow.place).where(TriggerRow.title_id == build.title_id, TriggerRow.name == run.trigger)
        place = uow.session.scalar(rows)
        if place:
            return place
    source = uow.session.scalar(select(SourceRow).where(SourceRow.title_id == build.title_id))
    if source is not None and run.order.ref.startswith(BRANCH):
        branch = run.order.ref.removeprefix(BRANCH)
        default = next((d for d in source.defaults if matching(d.pattern, [branch])), None)
        if default is not None and default.place:
            return default.place
    return resolve(load_document(uow.session, build.title, build.revision), build.profile).settings.place


def _is_scheduled(uow: UnitOfWork, build: BuildRow) -> bool:
    rows = select(ScheduledRow.id).where(ScheduledRow.build_id == build.id, ScheduledRow.person_id.is_(None))
    return uow.session.scalar(rows.limit(1)) is not None
