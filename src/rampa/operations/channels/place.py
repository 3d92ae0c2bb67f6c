"""Placing a build on a channel: what it would do, then doing it, wholly or not at all."""

from __future__ import annotations

from dataclasses import asdict

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from rampa.core.build.life import BuildState
from rampa.core.check.findings import Finding, blocks, in_order
from rampa.core.check.placement import PlacementCandidate, Standing, check_placement
from rampa.core.content.tree.comparison import compare
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Conflict, NotFound, Refused
from rampa.core.placement import life
from rampa.core.placement.life import PlacementEvent, PlacementState
from rampa.core.placement.stations import CHANNELS
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.resolved import resolve
from rampa.core.transitions import advance
from rampa.db.builds import BuildRow
from rampa.db.channels import ChannelRow, DeviceRow, PlacementRow
from rampa.operations.base import audit
from rampa.operations.base.context import Actor, Services, must_place
from rampa.operations.base.idempotency import Once, once
from rampa.operations.builds.builds import find_build
from rampa.operations.builds.views import finding_out, live_channels, summary
from rampa.operations.channels.placements import describe_placement, live_placement
from rampa.operations.content.stored_trees import build_tree, depot_trees, selectors_of
from rampa.operations.signing.continuity import bind, check_backup, check_continuity
from rampa.operations.titles.documents import load_document
from rampa.operations.titles.titles import find_title
from rampa.operations.updates.costs import update_cost
from rampa.operations.updates.differences import ask, likely
from rampa.operations.versions.versions import line_of
from rampa.schema import channels as wire

SHOWN_CHANGES = 500


def preview(services: Services, slug: str, channel_name: str, number: int) -> wire.PlacePreview:
    """What placing would do, in figures. Changes nothing."""
    with services.db.transaction() as session:
        build = find_build(session, slug, number)
        channel = find_channel(session, slug, channel_name)
        live = live_placement(session, channel, build.platform)
        old = live.build if live else None
        findings = check(session, services, build, channel)
        devices = _followers(session, channel, build.platform)
        names = live_channels(session, [b for b in (build, old) if b])
    # Both deliver it or the upload is not whole: there is no tree to compare or to price.
    whole = not any(f.code in ("depot.overlap", "build.not-ready") for f in findings)
    changes = compare(build_tree(services, old) if old else Tree(), build_tree(services, build)) if whole else []
    return wire.PlacePreview(
        build=summary(build, names.get(build.number, [])),
        channel=channel_name,
        replaces=summary(old, names.get(old.number, [])) if old else None,
        findings=[finding_out(f) for f in findings],
        changes=[wire.FileChangeOut(**asdict(c)) for c in changes[:SHOWN_CHANGES]],
        changes_left=max(0, len(changes) - SHOWN_CHANGES),
        update=update_cost(services, build, old) if whole and old else None,
        fresh=update_cost(services, build, None) if whole else None,
        devices=devices,
        possible=not blocks(findings),
        etag=str(channel.version),
    )


def place(
    services: Services, actor: Actor, slug: str, channel_name: str, number: int, expected: int | None, key: Once | None
) -> wire.Placement:
    """Raises `Refused` with the blockers, `Conflict` when the channel is not what the caller saw."""
    must_place(actor)

    def make() -> wire.Placement:
        channel = find_channel(session, slug, channel_name, lock=True)
        if expected is not None and expected != channel.version:
            raise Conflict(
                "channel.moved",
                f"the channel {channel_name} changed meanwhile",
                hint="Look again at what placing would do, then confirm.",
            )
        build = find_build(session, slug, number)
        _refuse(build, channel, check(session, services, build, channel))
        held = likely(session, build)
        placement = _put(session, services, actor, channel, build)
        ask(session, services, build, held)
        if build.bundle is not None:
            bind(session, services, build, *line_of_build(session, build), build.bundle.fingerprint)
        audit.record(session, services, actor, "build.place", build.name, slug, channel=channel_name)
        return describe_placement(session, placement, actor)

    with services.db.transaction() as session:
        return once(session, services, actor, key, wire.Placement, make)


def withdraw(services: Services, actor: Actor, slug: str, channel_name: str, number: int) -> wire.Placement:
    """Takes a live placement off its channel: devices keep what they have and are offered nothing new."""
    must_place(actor)
    with services.db.transaction() as session:
        channel = find_channel(session, slug, channel_name, lock=True)
        placement = session.scalar(
            select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.number == number)
        )
        if placement is None:
            raise NotFound("placement.unknown", f"{channel_name} has no placement {number}")
        what = f"{placement.build.name} on {channel_name}"
        placement.state = advance(life.TRANSITIONS, PlacementState(placement.state), PlacementEvent.WITHDRAW, what)
        placement.ended_at = services.now()
        channel.version += 1
        audit.record(session, services, actor, "build.withdraw", placement.build.name, slug, channel=channel_name)
        session.flush()
        return describe_placement(session, placement, actor)


def check(session: Session, services: Services, build: BuildRow, channel: ChannelRow) -> list[Finding]:
    """All findings that stand between this build and this channel."""
    station = next(s for s in CHANNELS if s.name == channel.name)
    closed = (
        [Finding("blocker", "channel.closed", f"the channel {channel.name} is closed", channel.name, station.closed)]
        if station.closed
        else []
    )
    live = live_placement(session, channel, build.platform)
    again = (
        [
            Finding(
                "blocker",
                "build.live",
                f"{build.name} is live on {channel.name} already",
                channel.name,
                "Nothing to do.",
            )
        ]
        if live and live.build_id == build.id
        else []
    )
    found = [
        *check_placement(candidate(services, build), _standing(session, channel, build)),
        *_continues(session, services, build),
    ]
    return in_order([*closed, *again, *found])


def _continues(session: Session, services: Services, build: BuildRow) -> list[Finding]:
    if build.purpose != "release" or build.bundle is None:
        return []
    identifier, place = line_of_build(session, build)
    found = check_continuity(session, identifier, place, build.bundle.fingerprint)
    return [*found, *check_backup(session, services, build.bundle.identity)]


def line_of_build(session: Session, build: BuildRow) -> tuple[str, str]:
    """(identifier, storefront or platform), as the build's revision of the document said them."""
    line = line_of(resolve(load_document(session, build.title, build.revision), build.profile))
    return line.identifier, line.place


def candidate(services: Services, build: BuildRow) -> PlacementCandidate:
    ready = build.state == BuildState.READY
    return PlacementCandidate(
        ready=ready,
        platform=PLATFORMS[build.platform],
        version_code=build.version_code,
        launch=build.launch,
        signed_by=build.bundle.fingerprint if build.bundle else "",
        depots=depot_trees(services, build) if ready else {},
        undelivered=tuple(build.undelivered),
        selectors=selectors_of(build),
    )


def find_channel(session: Session, slug: str, name: str, *, lock: bool = False) -> ChannelRow:
    title = find_title(session, slug)
    rows = select(ChannelRow).where(ChannelRow.title_id == title.id, ChannelRow.name == name)
    channel = session.scalar(rows.with_for_update() if lock else rows)
    if channel is None:
        known = ", ".join(s.name for s in CHANNELS)
        raise NotFound("channel.unknown", f"{slug} has no channel {name!r}", where="channel", hint=f"It has: {known}.")
    return channel


def _standing(session: Session, channel: ChannelRow, build: BuildRow) -> Standing:
    """The highest version code that another build ever had here for this platform.

    Withdrawn ones count: devices may have them. The build itself does not: it can come back after a withdrawal.
    """
    top = session.scalar(
        select(PlacementRow)
        .join(BuildRow, BuildRow.id == PlacementRow.build_id)
        .where(
            PlacementRow.channel_id == channel.id,
            PlacementRow.platform == build.platform,
            PlacementRow.build_id != build.id,
        )
        .order_by(BuildRow.version_code.desc())
        .limit(1)
    )
    return Standing(top.build.version_code, top.build.name) if top else Standing(None, "")


def _refuse(build: BuildRow, channel: ChannelRow, findings: list[Finding]) -> None:
    blockers = [f for f in findings if f.severity == "blocker"]
    if blockers:
        lines = "".join(f"\n  {f.message}. {f.hint}" for f in blockers)
        count = "one blocker" if len(blockers) == 1 else f"{len(blockers)} blockers"
        raise Refused("placement.blocked", f"{build.name} cannot be placed on {channel.name}: {count}{lines}")


def _put(session: Session, services: Services, actor: Actor, channel: ChannelRow, build: BuildRow) -> PlacementRow:
    now = services.now()
    live = live_placement(session, channel, build.platform)
    if live:
        live.state = advance(life.TRANSITIONS, PlacementState(live.state), PlacementEvent.SUPERSEDE, live.build.name)
        live.ended_at = now
        session.flush()
    last = session.scalar(select(func.max(PlacementRow.number)).where(PlacementRow.channel_id == channel.id)) or 0
    placement = PlacementRow(
        channel=channel,
        number=last + 1,
        platform=build.platform,
        build=build,
        state=PlacementState.LIVE,
        placed_by=actor.name,
        created_at=now,
    )
    session.add(placement)
    channel.version += 1
    session.flush()
    return placement


def _followers(session: Session, channel: ChannelRow, platform: str) -> int:
    rows = select(func.count()).select_from(DeviceRow)
    return session.scalar(rows.where(DeviceRow.channel_id == channel.id, DeviceRow.platform == platform)) or 0
