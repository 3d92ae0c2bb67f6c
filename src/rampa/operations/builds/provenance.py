"""The provenance of a build, from its rows."""

from __future__ import annotations

import hashlib

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.signing import provenance as format_
from rampa.core.signing.provenance import Provenance
from rampa.db.builds import BuildRow, BundleRow
from rampa.db.runs import RunRow
from rampa.db.sources import SourceRow
from rampa.operations.base.context import Services
from rampa.operations.titles.documents import find_revision
from rampa.operations.titles.titles import manifest_key


def provenance_of(
    session: Session, services: Services, build: BuildRow, bundle: BundleRow, tools: dict[str, str]
) -> bytes:
    """Signed with the title's manifest key, which devices and people know."""
    run = (
        session.scalar(select(RunRow).where(RunRow.title_id == build.title_id, RunRow.number == build.run))
        if build.run
        else None
    )
    source = (
        session.scalar(select(SourceRow.address).where(SourceRow.title_id == build.title_id)) if build.commit else ""
    )
    made = Provenance(
        subjects={bundle.name: bundle.sha256.hex()},
        title=build.title.slug,
        build=build.number,
        run=build.run,
        profile=build.profile,
        revision=build.revision,
        document_sha256=hashlib.sha256(find_revision(session, build.title, build.revision).text.encode()).hexdigest(),
        version_name=build.version_name,
        version_code=build.version_code,
        source=source or "",
        commit=build.commit,
        folder=run.folder if run else 0,
        agent=run.agent_name if run else "",
        tools=tools,
        steps=tuple(str(s["name"]) for s in run.steps) if run else (),
        started=build.created_at.isoformat(timespec="seconds"),
        finished=(build.completed_at or services.now()).isoformat(timespec="seconds"),
    )
    return format_.sign(made, manifest_key(services, build.title))
