"""Placing a build on a channel: what it would do, then doing it, wholly or not at all."""

from __future__ import annotations

from sqlalchemy import func, select

from rampa.core.check.findings import Finding, blocks
from rampa.core.content.tree.comparison import compare
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Conflict, NotFound, Refused
from rampa.core.placement.life import PlacementEvent, PlacementState
from rampa.db import BuildRow, ChannelRow, LineRow, PlacementRow, find_build, find_channel, queue
from rampa.operations.base import Act, Actor, Once, Services, UnitOfWork, audit, begin, must, once, transition
from rampa.operations.builds.views import summary
from rampa.operations.channels.gates import gates_of, list_gates, must_be_open
from rampa.operations.channels.obstacles import check, line_of_build
from rampa.operations.channels.placements import channel_of, describe_placement
from rampa.operations.channels.standing import TitleStanding, load_standing
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.signing.continuity import bind
from rampa.operations.updates.costs import update_cost
from rampa.operations.updates.differences import ask, likely
from rampa.operations.versions.versions import CodeLine
from rampa.schema import channels as wire

SHOWN_CHANGES = 500


def preview(services: Services, actor: Actor, slug: str, channel_name: str, number: int) -> wire.PlacePreview:
    """What placing would do, in figures. Changes nothing."""
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
        standing = load_standing(uow, build.title)
        channel = channel_of(standing, channel_name)
        channel_name = channel.name
        live = standing.live_on(channel_name, build.platform, line_of_build(uow, build).storefront)
        old = live.build if live else None
        findings = check(uow, standing, build, channel)
    # Both deliver it or the upload is not whole: there is no tree to compare or to price.
    whole = not any(f.code in ("depot.overlap", "build.not-ready") for f in findings)
    changes = compare(build_tree(services, old) if old else Tree(), build_tree(services, build)) if whole else []
    gates = gates_of(services, actor, channel, build, findings)
    return wire.PlacePreview(
        build=summary(build, standing.names_of(build.number)),
        channel=channel_name,
        replaces=summary(old, standing.names_of(old.number)) if old else None,
        findings=findings,
        changes=changes[:SHOWN_CHANGES],
        changes_left=max(0, len(changes) - SHOWN_CHANGES),
        update=update_cost(services, build, old) if whole and old else None,
        fresh=update_cost(services, build, None) if whole else None,
        devices=standing.following.get((channel_name, build.platform), 0),
        gates=gates,
        possible=not blocks(findings) and all(gate.state != "closed" for gate in gates),
        etag=str(channel.version),
    )


def place(
    services: Services, actor: Actor, slug: str, channel_name: str, number: int, expected: int | None, key: Once | None
) -> wire.Placement:
    """Raises `Refused` with the blockers, `Conflict` when the channel is not what the caller saw."""
    must(actor, Act.PLACE)
    # What gates ask can take seconds of reading: not while the channel is locked. What changes meanwhile changes the channel.
    gates = list_gates(services, actor, slug, channel_name, number)

    def make() -> wire.Placement:
        channel = find_channel(uow.session, slug, channel_name, lock=True)
        if expected is not None and expected != channel.version:
            raise Conflict(
                "channel.moved",
                f"the channel {channel_name} changed meanwhile",
                hint="Look again at what placing would do, then confirm.",
            )
        build = find_build(uow.session, slug, number)
        standing = load_standing(uow, build.title)
        _refuse(build, channel, check(uow, standing, build, channel))
        must_be_open(gates, build, channel)
        # Before the placement: afterwards the build itself would be among those that devices may have.
        held = likely(uow, build)
        code_line = line_of_build(uow, build)
        placement = _put(uow, standing, channel, build, code_line)
        ask(uow, build, held)
        queue.put(uow.session, "show_content", queue.CONTENT, lock="visibility", build=str(build.id))
        if build.bundle is not None:
            bind(uow, build, code_line, build.bundle.fingerprint)
        audit.record(uow, "build.place", build.name, slug, channel=channel.name)
        return describe_placement(actor, load_standing(uow, build.title), placement)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Placement, make)


def withdraw(services: Services, actor: Actor, slug: str, channel_name: str, number: int) -> wire.Placement:
    """Takes a live placement off its channel: devices keep what they have and are offered nothing new."""
    must(actor, Act.WITHDRAW)
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, channel_name, lock=True)
        placement = uow.session.scalar(
            select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.number == number)
        )
        if placement is None:
            raise NotFound("placement.unknown", f"{channel_name} has no placement {number}")
        transition(uow, placement, PlacementEvent.WITHDRAW, channel=channel.name)
        queue.put(uow.session, "lower_content", queue.CONTENT, lock="visibility")
        channel.version += 1
        uow.session.flush()
        return describe_placement(actor, load_standing(uow, placement.build.title), placement)


def _refuse(build: BuildRow, channel: ChannelRow, findings: list[Finding]) -> None:
    blockers = [f for f in findings if f.severity == "blocker"]
    if blockers:
        lines = "".join(f"\n  {f.message}. {f.hint}" for f in blockers)
        count = "one blocker" if len(blockers) == 1 else f"{len(blockers)} blockers"
        raise Refused("placement.blocked", f"{build.name} cannot be placed on {channel.name}: {count}{lines}")


def _put(
    uow: UnitOfWork, standing: TitleStanding, channel: ChannelRow, build: BuildRow, code_line: CodeLine
) -> PlacementRow:
    line = _line(uow, channel, build.platform, code_line.storefront)
    # Two may be live on a line while one grows; a placement by hand ends them all.
    for live in standing.live[channel.name, build.platform]:
        if live.line_id == line.id:
            transition(uow, live, PlacementEvent.SUPERSEDE, channel=channel.name, by=build.number)
    last = uow.session.scalar(select(func.max(PlacementRow.number)).where(PlacementRow.channel_id == channel.id)) or 0
    placement = PlacementRow(
        line=line,
        channel_id=channel.id,
        number=last + 1,
        build=build,
        state=PlacementState.LIVE,
        placed_by=uow.actor.name,
        created_at=uow.now,
    )
    uow.session.add(placement)
    channel.version += 1
    uow.session.flush()
    return placement


def _line(uow: UnitOfWork, channel: ChannelRow, platform: str, storefront: str) -> LineRow:
    """Made when something is first placed there; the channel is locked."""
    rows = select(LineRow).where(LineRow.channel_id == channel.id, LineRow.platform == platform)
    line = uow.session.scalar(rows.where(LineRow.storefront == storefront))
    if line is None:
        line = LineRow(channel=channel, platform=platform, storefront=storefront, created_at=uow.now)
        uow.session.add(line)
        uow.session.flush()
    return line
