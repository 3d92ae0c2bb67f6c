"""The ramp of a title: how high each build has climbed, and what stops it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.build.life import BuildState
from rampa.core.check.findings import Finding
from rampa.core.check.profile import check_profile, stops_a_build
from rampa.core.placement.stations import STATIONS
from rampa.db.builds import BuildRow
from rampa.db.channels import ChannelRow, PlacementRow
from rampa.db.titles import TitleRow
from rampa.operations.base.context import PLACERS, Actor, Services
from rampa.operations.builds.views import finding_out, platform_title
from rampa.operations.channels.place import check
from rampa.operations.channels.placements import describe_placement
from rampa.operations.signing.lookup import identity_names
from rampa.operations.titles.documents import load_document
from rampa.operations.titles.titles import find_title
from rampa.schema.channels import Placement as PlacementOut
from rampa.schema.common import Action
from rampa.schema.titles import titles as wire

SHOWN = 5
"""Newest builds a profile; live ones are shown however old."""
HEIGHT = {station.name: i for i, station in enumerate(STATIONS)}


def get_ramp(services: Services, actor: Actor, slug: str) -> wire.Ramp:
    with services.db.transaction() as session:
        title = find_title(session, slug)
        document = load_document(session, title)
        live = _live(session, title, actor)
        identities = identity_names(session)
        rows = []
        for name, profile in document.profiles.items():
            builds = _row_builds(session, title, name, live)
            rows.append(
                wire.RampRow(
                    profile=name,
                    platform=profile.get("platform"),
                    platform_title=platform_title(profile.get("platform")),
                    stops=[f.message for f in stops_a_build(check_profile(document, profile, identities))],
                    builds=[
                        _token(session, services, actor, b, live.get(b.number, []), leads=i == 0)
                        for i, b in enumerate(builds)
                    ],
                )
            )
    stations = [wire.StationOut(name=s.name, channel=s.channel, closed=s.closed) for s in STATIONS]
    return wire.Ramp(title=slug, stations=stations, rows=rows, at=services.now())


def _live(session: Session, title: TitleRow, actor: Actor) -> dict[int, list[PlacementOut]]:
    rows = session.scalars(
        select(PlacementRow)
        .join(ChannelRow, ChannelRow.id == PlacementRow.channel_id)
        .where(ChannelRow.title_id == title.id, PlacementRow.state == "live")
    )
    out: dict[int, list[PlacementOut]] = {}
    for row in rows:
        out.setdefault(row.build.number, []).append(describe_placement(session, row, actor))
    return out


def _row_builds(session: Session, title: TitleRow, profile: str, live: dict[int, list[PlacementOut]]) -> list[BuildRow]:
    """The newest, and whatever is live, newest first. Abandoned ones are history, not on the ramp."""
    rows = select(BuildRow).where(
        BuildRow.title_id == title.id, BuildRow.profile == profile, BuildRow.state != BuildState.ABANDONED
    )
    newest = list(session.scalars(rows.order_by(BuildRow.number.desc()).limit(SHOWN)))
    shown = {b.number for b in newest}
    older = session.scalars(rows.where(BuildRow.number.in_([n for n in live if n not in shown])))
    return sorted([*newest, *older], key=lambda b: -b.number)


def _token(
    session: Session, services: Services, actor: Actor, build: BuildRow, live: list[PlacementOut], *, leads: bool
) -> wire.RampBuild:
    height = max([_own_height(build), *(HEIGHT[p.channel] for p in live)])
    stop, act = (None, None)
    if leads:
        stop, act = _next(session, services, actor, build, height)
    return wire.RampBuild(
        number=build.number,
        version_name=build.version_name,
        version_code=build.version_code,
        height=height,
        state=build.state,
        live_on=[p.channel for p in live],
        shares={p.channel: round(100 * p.devices / p.following) for p in live if p.following},
        devices={p.channel: p.following for p in live},
        created_at=build.created_at,
        created_by=build.created_by,
        size=build.size,
        stop=finding_out(stop) if stop else None,
        next=act,
    )


def _own_height(build: BuildRow) -> int:
    if build.state == BuildState.OPEN:
        return HEIGHT["built"]
    signed = bool(build.bundle and build.bundle.fingerprint)
    return HEIGHT["depots"] if signed else HEIGHT["built"]


def _next(
    session: Session, services: Services, actor: Actor, build: BuildRow, height: int
) -> tuple[Finding | None, Action | None]:
    """What keeps the leading build from the next station, and the act that takes it there."""
    station = next((s for s in STATIONS[max(height, HEIGHT["depots"]) + 1 :]), None)
    if station is None:
        return None, None
    if station.closed and not station.channel:
        return Finding("note", "station.closed", f"{station.name} is not open yet", station.name, station.closed), None
    channel = session.scalars(
        select(ChannelRow).where(ChannelRow.title_id == build.title_id, ChannelRow.name == station.name)
    ).one()
    blocker = next((f for f in check(session, services, build, channel) if f.severity == "blocker"), None)
    may = actor.role in PLACERS
    reason = blocker.message if blocker else ("" if may else f"A {actor.role} may not.")
    return blocker, Action(name=f"place on {station.name}", possible=not blocker and may, reason=reason)
