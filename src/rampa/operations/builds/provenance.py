"""The provenance of a build, from its rows."""

from __future__ import annotations

import hashlib

from sqlalchemy import select

from rampa.core.signing import provenance as format_
from rampa.core.signing.provenance import Provenance
from rampa.db import BuildRow, BundleRow, RunRow, SourceRow, find_revision
from rampa.operations.base import UnitOfWork
from rampa.operations.titles.titles import manifest_key


def provenance_of(uow: UnitOfWork, build: BuildRow, bundle: BundleRow, tools: dict[str, str]) -> bytes:
    """Signed with the title's manifest key, which devices and people know."""
    run = (
        uow.session.scalar(select(RunRow).where(RunRow.title_id == build.title_id, RunRow.number == build.made.run))
        if build.made.run
        else None
    )
    source = (
        uow.session.scalar(select(SourceRow.address).where(SourceRow.title_id == build.title_id))
        if build.made.commit
        else ""
    )
    made = Provenance(
        subjects={bundle.name: bundle.sha256.hex()},
        title=build.title.slug,
        build=build.number,
        run=build.made.run,
        profile=build.profile,
        revision=build.revision,
        document_sha256=hashlib.sha256(
            find_revision(uow.session, build.title, build.revision).text.encode()
        ).hexdigest(),
        version_name=build.version_name,
        version_code=build.version_code,
        source=source or "",
        commit=build.made.commit,
        folder=run.order.folder if run else 0,
        agent=run.attempt.agent_name if run else "",
        isolation=run.attempt.isolation if run else "",
        tools=tools,
        steps=tuple(s.name for s in run.order.steps) if run else (),
        started=build.created_at.isoformat(timespec="seconds"),
        finished=(build.completed_at or uow.now).isoformat(timespec="seconds"),
    )
    return format_.sign(made, manifest_key(uow.services, build.title))
