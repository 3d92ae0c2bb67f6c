"""Approving a run: a second person's word that this commit, by this profile, may be signed for release."""

from __future__ import annotations

from rampa.core.errors import Conflict, Refused
from rampa.core.run import life
from rampa.db import PersonRow, RunApprovalRow, find_run, queue
from rampa.operations.base import Actor, Services, audit, begin
from rampa.operations.runs.logs import say
from rampa.operations.runs.views import describe
from rampa.schema import runs as wire


def approve_run(services: Services, actor: Actor, slug: str, number: int) -> wire.Run:
    """What was started is what is approved: commit, profile and variables stand since then. Twice is no error."""
    with begin(services, actor) as uow:
        run = find_run(uow.session, slug, number, lock=True)
        if run.state in life.ENDED:
            raise Conflict("approval.ended", f"{run.name} is {run.state}: there is nothing to approve any more")
        person = uow.session.get_one(PersonRow, actor.principal)
        # By name, as runs know who started them: two of one name are rather one too few than one too many.
        if person.name == run.started_by:
            hint = "Somebody else approves it."
            raise Refused("approval.own", f"{person.name} started {run.name}, and cannot approve it", hint=hint)
        if uow.session.get(RunApprovalRow, (run.id, person.id)) is None:
            uow.session.add(RunApprovalRow(run_id=run.id, person_id=person.id, at=uow.now))
            audit.record(uow, "run.approve", run.name, slug, commit=run.order.commit, profile=run.profile)
            say(uow, run, f"Approved by {person.name}.")
            queue.put(uow.session, "assign", queue.RUNS, lock="assign")
            for what in (f"run/{run.id}", f"title/{slug}"):
                queue.tell(uow.session, what)
            uow.session.flush()
        return describe(uow, run)
