"""Builds as the wire has them: in short and whole, with where they are live and what can be done with them."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.build.life import BuildState
from rampa.core.check.findings import Finding
from rampa.core.placement.life import PlacementState
from rampa.core.platform.table import PLATFORMS
from rampa.db.builds import BuildRow
from rampa.db.channels import ChannelRow, PlacementRow
from rampa.db.runs import RunRow
from rampa.operations.base.context import MAKERS, Actor
from rampa.schema.builds import builds as wire
from rampa.schema.bundles.bundles import BundleVerified
from rampa.schema.common import Action, FindingOut


def live_channels(session: Session, builds: Iterable[BuildRow]) -> dict[int, list[str]]:
    """Build number -> names of the channels where it is live."""
    numbers = {b.id: b.number for b in builds}
    rows = session.execute(
        select(PlacementRow.build_id, ChannelRow.name)
        .join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
        .where(PlacementRow.build_id.in_(numbers), PlacementRow.state == PlacementState.LIVE)
        .order_by(ChannelRow.id)
    )
    live: dict[int, list[str]] = {}
    for build_id, name in rows:
        live.setdefault(numbers[build_id], []).append(name)
    return live


def summary(build: BuildRow, live_on: list[str]) -> wire.BuildSummary:
    return wire.BuildSummary(**_fields(build, live_on))


def describe(session: Session, build: BuildRow, actor: Actor, findings: list[Finding]) -> wire.Build:
    live_on = live_channels(session, [build]).get(build.number, []) if build.id else []
    return wire.Build(
        **_fields(build, live_on),
        subject=subject_of_commit(session, build),
        agent=build.made_with.get("agent", ""),
        tools=build.made_with.get("tools", {}),
        durations=dict(build.made_with.get("steps", [])),
        symbols_files=build.symbols_files,
        symbols_size=build.symbols_size,
        native=build.native,
        grant=build.grant,
        bundle=_bundle(build),
        bundle_name=build.bundle_name,
        launch=build.launch,
        depots=[
            wire.DepotOut(
                name=d.name,
                manifest=d.manifest.hex(),
                manifest_size=d.manifest_size,
                files=d.files,
                size=d.size,
                packed=d.packed,
            )
            for d in build.depots or []
        ],
        findings=[*(FindingOut(**f) for f in build.made_with.get("findings", [])), *(finding_out(f) for f in findings)],
        left_out_files=build.left_out_files,
        left_out_size=build.left_out_size,
        figures=wire.Figures(**build.figures),
        allowed_actions=_actions(build, actor),
    )


def finding_out(finding: Finding) -> FindingOut:
    return FindingOut(
        severity=finding.severity,
        code=finding.code,
        message=finding.message,
        where=finding.where,
        hint=finding.hint,
    )


def _actions(build: BuildRow, actor: Actor) -> list[Action]:
    may = actor.role in MAKERS
    role = "" if may else f"A {actor.role} may not."
    is_open, is_ready = build.state == BuildState.OPEN, build.state == BuildState.READY
    return [
        Action(name="abandon", possible=is_open and may, reason=role or ("" if is_open else f"It is {build.state}.")),
        Action(name="place", possible=is_ready and may, reason=role or ("" if is_ready else f"It is {build.state}.")),
    ]


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
        "files": build.files,
        "size": build.size,
        "packed": build.packed,
        "signed": bool(build.bundle and build.bundle.fingerprint),
        "live_on": live_on,
        "created_at": build.created_at,
        "completed_at": build.completed_at,
        "created_by": build.created_by,
        "notes": build.notes,
        "pinned": build.pinned,
        "run": build.run,
        "why": build.why,
        "commit": build.commit,
        "ref": build.ref,
        "warnings": sum(f["severity"] == "warning" for f in build.made_with.get("findings", [])),
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
        says=BundleVerified(**bundle.read_back) if bundle.read_back else None,
    )


def subject_of_commit(session: Session, build: BuildRow) -> str:
    """The first line of the commit's message, as the run that made the build kept it."""
    if not build.run:
        return ""
    rows = select(RunRow.subject).where(RunRow.title_id == build.title_id, RunRow.number == build.run)
    return session.scalar(rows) or ""


def platform_title(name: str) -> str:
    return PLATFORMS[name].title if name in PLATFORMS else name
