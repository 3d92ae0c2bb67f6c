"""Rolling back: an earlier build on its line again, for every device at once, also for those that have a higher version code.

Where a platform installs nothing over a higher code, the earlier build is offered under a new one (operations/builds/reissue).
Gates are not asked: the build passed them when it was placed there.
"""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict, NotFound, Refused
from rampa.core.platform.table import PLATFORMS
from rampa.db import BuildRow, LineRow, PlacementRow, find_build, find_channel, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.builds.reissue import must_be_kept, reissue
from rampa.operations.builds.views import summary
from rampa.operations.channels import lines
from rampa.operations.channels.having import builds_had
from rampa.operations.channels.obstacles import line_of_build
from rampa.operations.channels.placements import get_placement
from rampa.operations.updates.costs import update_costs
from rampa.schema import channels as wire


def preview(services: Services, actor: Actor, slug: str, name: str, number: int) -> wire.RollBackPreview:
    """What rolling back to a build would do, in figures. Changes nothing."""
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name)
        build = find_build(uow.session, slug, number)
        line = _line(uow, channel.id, build)
        live = lines.live_on(uow, line)
        obstacle = _obstacle(build, live)
        had = builds_had(uow, channel, build)
        rising = PLATFORMS[build.platform].rising_codes
        replaced = [summary(p.build, []) for p in live]
    # Under a new code the same files travel, and another statement.
    costs = update_costs(services, [(build, old) for old, _ in had]) if not obstacle else []
    return wire.RollBackPreview(
        build=summary(build, []),
        channel=channel.name,
        replaces=replaced,
        new_code=rising,
        devices=[
            wire.DevicesWith(build=summary(old, []), devices=count, update=cost)
            for (old, count), cost in zip(had, costs, strict=False)
        ],
        obstacle=obstacle,
        etag=str(channel.version),
    )


def roll_back(
    services: Services, actor: Actor, slug: str, name: str, number: int, expected: int | None
) -> wire.Rollout:
    """Raises `Refused` for a build that was never there or is not kept, `Conflict` when the channel is not what was seen."""
    must(actor, Act.ROLL_OUT)
    with begin(services, actor) as uow:
        channel, build = find_channel(uow.session, slug, name), find_build(uow.session, slug, number)
        _must_be_seen(channel.version, expected, name)
        _must_be_possible(build, lines.live_on(uow, _line(uow, channel.id, build)))
        rising = PLATFORMS[build.platform].rising_codes
    # Signing anew takes seconds: not while the channel is locked.
    wanted = reissue(services, actor, slug, number).number if rising else number
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name, lock=True)
        _must_be_seen(channel.version, expected, name)
        build, put = find_build(uow.session, slug, number), find_build(uow.session, slug, wanted)
        _must_be_possible(build, lines.live_on(uow, _line(uow, channel.id, build)))
        audit.record(uow, "channel.roll-back", put.name, slug, channel=channel.name, to=build.version_name)
        storefront = line_of_build(uow, build).storefront
        placement = lines.put(uow, channel, put, storefront, lines.Extent(back=True))
        queue.put(uow.session, "show_content", queue.CONTENT, lock="visibility", build=str(put.id))
        made = placement.number
    return get_placement(services, actor, slug, name, made)


def _must_be_seen(version: int, expected: int | None, name: str) -> None:
    if expected is not None and expected != version:
        hint = "Look again at what rolling back would do, then confirm."
        raise Conflict("channel.moved", f"the channel {name} changed meanwhile", hint=hint)


def _must_be_possible(build: BuildRow, live: list[PlacementRow]) -> None:
    must_be_kept(build)
    obstacle = _obstacle(build, live)
    if obstacle:
        raise Refused("rollout.no-way-back", obstacle)


def _obstacle(build: BuildRow, live: list[PlacementRow]) -> str:
    if build.state != BuildState.READY:
        return f"{build.name} is {build.state}: its content is not kept any more"
    if not live:
        return f"nothing is live there: place {build.name}"
    if len(live) == 1 and live[0].build_id == build.id:
        return f"{build.name} is what is live there"
    return ""


def _line(uow: UnitOfWork, channel_id: object, build: BuildRow) -> LineRow:
    """Where the build was placed before. Raises `NotFound` where it never was."""
    rows = select(PlacementRow).where(PlacementRow.channel_id == channel_id, PlacementRow.build_id == build.id)
    placement = uow.session.scalar(rows.order_by(PlacementRow.number.desc()).limit(1))
    if placement is None:
        hint = "Roll back to a build that was placed there: rampa rollout show lists them."
        raise NotFound("rollout.never-placed", f"{build.name} was never placed there", where="build", hint=hint)
    return placement.line
