"""Builds as the wire has them: in short and whole, with where they are live and what can be done with them."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.build import life
from rampa.core.build.life import BuildEvent
from rampa.core.check.findings import Finding
from rampa.core.content.depots.weight import why_larger
from rampa.db import BuildRow, RunOrderRow, RunRow, live_channels
from rampa.operations.base import Act, Actor, UnitOfWork, actions
from rampa.schema.builds import builds as wire

OFFERED = {BuildEvent.ABANDON: Act.ABANDON_BUILD, BuildEvent.PLACE: Act.PLACE}


def summary(build: BuildRow, live_on: list[str]) -> wire.BuildSummary:
    return wire.BuildSummary(**_fields(build, live_on))


def describe(uow: UnitOfWork, build: BuildRow, actor: Actor, findings: list[Finding]) -> wire.Build:
    # A build that is described before it is written has no row that could be live anywhere.
    live_on = live_channels(uow.session, [build]).get(build.number, []) if build.id else []
    return wire.Build(
        **_fields(build, live_on),
        subject=subject_of_commit(uow, build),
        agent=build.made.record.agent,
        tools=build.made.record.tools,
        durations=dict(build.made.record.steps),
        symbols_files=build.symbols.files if build.symbols else 0,
        symbols_size=build.symbols.size if build.symbols else 0,
        native=build.made.native,
        grant=build.bundle.grant if build.bundle else 0,
        bundle=_bundle(build),
        bundle_name=build.bundle_name,
        launch=build.content.launch,
        depots=[
            wire.DepotOut(
                name=d.name,
                manifest=d.manifest.hex(),
                manifest_size=d.manifest_size,
                files=d.files,
                size=d.size,
                packed=d.packed,
                note=why_larger(d.size, d.packed),
            )
            for d in build.depots or []
        ],
        findings=[*build.made.record.findings, *findings],
        left_out_files=build.content.left_out_files,
        left_out_size=build.content.left_out_size,
        figures=build.content.figures,
        allowed_actions=actions(actor, life.TRANSITIONS, build.state, OFFERED),
    )


def _fields(build: BuildRow, live_on: list[str]) -> dict[str, object]:
    return {
        "name": build.name,
        "title": build.title.slug,
        "number": build.number,
        "profile": build.profile,
        "platform": build.platform,
        "purpose": build.purpose,
        "state": build.state,
        "version_name": build.version_name,
        "version_code": build.version_code,
        "revision": build.revision,
        "files": build.content.files,
        "size": build.content.size,
        "packed": build.content.packed,
        "signed": bool(build.bundle and build.bundle.fingerprint),
        "live_on": live_on,
        "created_at": build.created_at,
        "completed_at": build.completed_at,
        "created_by": build.created_by,
        "notes": build.notes,
        "pinned": build.pinned,
        "run": build.made.run,
        "why": build.made.why,
        "content_of": build.made.content_of,
        "commit": build.made.commit,
        "ref": build.made.ref,
        "warnings": sum(f.severity == "warning" for f in build.made.record.findings),
    }


def _bundle(build: BuildRow) -> wire.BundleOut | None:
    bundle = build.bundle
    if bundle is None:
        return None
    return wire.BundleOut(
        name=bundle.name,
        size=bundle.size,
        sha256=bundle.sha256.hex(),
        identity=bundle.identity,
        fingerprint=bundle.fingerprint,
        signed_at=bundle.signed_at,
        kind=bundle.kind,
        beside=bundle.signature is not None,
        bare=bundle.bare,
        says=bundle.read_back,
    )


def subject_of_commit(uow: UnitOfWork, build: BuildRow) -> str:
    """The first line of the commit's message, as the run that made the build kept it."""
    if not build.made.run:
        return ""
    rows = (
        select(RunOrderRow.subject)
        .join(RunRow)
        .where(RunRow.title_id == build.title_id, RunRow.number == build.made.run)
    )
    return uow.session.scalar(rows) or ""
