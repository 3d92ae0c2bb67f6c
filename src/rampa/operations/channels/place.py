"""Placing a build on a channel: what it would do, then doing it, wholly or not at all."""

from __future__ import annotations

from rampa.core.check.findings import Finding, blocks
from rampa.core.content.tree.comparison import compare
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Conflict, Invalid, Refused
from rampa.core.placement.plan import read_plan
from rampa.core.placement.share import share_of
from rampa.db import BuildRow, ChannelRow, PlacementRow, ReleaseRow, find_build, find_channel, queue
from rampa.operations.base import Act, Actor, Once, Services, UnitOfWork, audit, begin, must, once
from rampa.operations.builds.views import summary
from rampa.operations.channels import lines
from rampa.operations.channels.gates import gates_of, list_gates, must_be_open
from rampa.operations.channels.having import builds_had
from rampa.operations.channels.obstacles import check, line_of_build
from rampa.operations.channels.placements import channel_of, describe_placement
from rampa.operations.channels.standing import load_standing
from rampa.operations.content.stored_trees import build_tree
from rampa.operations.layout import asking
from rampa.operations.signing.continuity import bind
from rampa.operations.updates.costs import update_cost, update_costs
from rampa.operations.updates.differences import ask, likely, to_be_asked
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
        old = live[0].build if live else None
        findings = check(uow, standing, build, channel)
        had = builds_had(uow, channel, build)
        packs = asking.standing(uow, build, channel)
        starts = [start.number for start in to_be_asked(uow, build)]
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
        updates=_updates(services, build, had) if whole else [],
        devices=standing.following.get((channel_name, build.platform), 0),
        gates=gates,
        possible=not blocks(findings) and all(gate.state != "closed" for gate in gates),
        etag=str(channel.version),
        player_packs=packs,
        differences_from=starts if whole else [],
    )


def _updates(services: Services, build: BuildRow, had: list[tuple[BuildRow, int]]) -> list[wire.DevicesWith]:
    costs = update_costs(services, [(build, old) for old, _ in had])
    return [
        wire.DevicesWith(build=summary(old, []), devices=count, update=cost)
        for (old, count), cost in zip(had, costs, strict=True)
    ]


def place(
    services: Services,
    actor: Actor,
    slug: str,
    channel_name: str,
    asked: wire.PlaceIn,
    expected: int | None,
    key: Once | None,
) -> wire.Placement:
    """Raises `Refused` with the blockers, `Conflict` when the channel is not what the caller saw."""
    must(actor, Act.PLACE)
    extent, number = extent_of(asked.share, asked.plan), asked.build
    # What gates ask can take seconds of reading: not while the channel is locked. What changes meanwhile changes the channel.
    gates = list_gates(services, actor, slug, channel_name, number)

    def make() -> wire.Placement:
        channel = find_channel(uow.session, slug, channel_name, lock=True)
        must_be_seen(channel, expected)
        build = find_build(uow.session, slug, number)
        placement = put_build(uow, channel, build, gates, extent)
        return describe_placement(actor, load_standing(uow, build.title), placement)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Placement, make)


def must_be_seen(channel: ChannelRow, expected: int | None) -> None:
    """Raises `Conflict` when the channel is not what the caller saw."""
    if expected is not None and expected != channel.version:
        hint = "Look again at what it would do, then confirm."
        raise Conflict("channel.moved", f"the channel {channel.name} changed meanwhile", hint=hint)


def put_build(
    uow: UnitOfWork,
    channel: ChannelRow,
    build: BuildRow,
    gates: list[wire.GateOut],
    extent: lines.Extent,
    release: ReleaseRow | None = None,
) -> PlacementRow:
    """The channel is locked by the caller, who has looked at the gates. Raises `Refused` with what is in the way."""
    _refuse(build, channel, check(uow, load_standing(uow, build.title), build, channel))
    must_be_open(gates, build, channel)
    # Before the placement: afterwards the build itself would be among those that devices may have.
    held = likely(uow, build)
    code_line = line_of_build(uow, build)
    audit.record(uow, "build.place", build.name, build.title.slug, channel=channel.name)
    placement = lines.put(uow, channel, build, code_line.storefront, extent)
    placement.release_id = release.id if release else None
    ask(uow, build, held)
    asking.ask_for(uow, build, channel)
    queue.put(uow.session, "show_content", queue.CONTENT, lock="visibility", build=str(build.id))
    if build.bundle is not None:
        bind(uow, build, code_line, build.bundle.fingerprint)
    return placement


def extent_of(share: float | None, plan: str) -> lines.Extent:
    """What a call says: neither is everybody at once. Raises `Invalid` for a share or plan that cannot be."""
    if plan:
        if share is not None:
            raise Invalid(
                "plan.share", "a share and a plan are said", where="plan", hint="The plan says the first share."
            )
        return lines.Extent(plan=read_plan(plan))
    return lines.WHOLE if share is None else lines.Extent(share_of(share))


def _refuse(build: BuildRow, channel: ChannelRow, findings: list[Finding]) -> None:
    blockers = [f for f in findings if f.severity == "blocker"]
    if blockers:
        lines = "".join(f"\n  {f.message}. {f.hint}" for f in blockers)
        count = "one blocker" if len(blockers) == 1 else f"{len(blockers)} blockers"
        raise Refused("placement.blocked", f"{build.name} cannot be placed on {channel.name}: {count}{lines}")
