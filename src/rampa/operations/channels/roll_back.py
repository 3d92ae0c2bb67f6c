"""Rolling back: an earlier build on its line again, for every device at once, also for those that have a higher version code.

Where a platform installs nothing over a higher code, the earlier build is offered under a new one (operations/builds/reissue).
Gates are not asked: the build passed them when it was placed there.
"""

from __future__ import annotations

import uuid
from collections.abc import Sequence

from sqlalchemy import select

from rampa.core.build.life import BuildState
from rampa.core.errors import NotFound, Refused
from rampa.core.placement.life import LIVE
from rampa.core.platform.table import PLATFORMS
from rampa.core.submission.life import SubmissionState
from rampa.db import BuildRow, ChannelRow, LineRow, PlacementRow, SubmissionRow, find_build, find_channel, queue
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.builds.reissue import must_be_kept, reissue
from rampa.operations.builds.views import summary
from rampa.operations.channels import lines
from rampa.operations.channels.having import builds_had
from rampa.operations.channels.obstacles import line_of_build
from rampa.operations.channels.place import must_be_seen
from rampa.operations.channels.placements import get_placement
from rampa.operations.channels.shown import must_be_able, pass_on
from rampa.operations.updates.costs import update_costs
from rampa.schema import rollouts as wire
from rampa.schema.channels import DevicesWith


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
        replaced = [summary(p.build, []) for p in live if p.build_id != build.id]
    # Under a new code the same files travel, and another statement.
    costs = update_costs(services, [(build, old) for old, _ in had]) if not obstacle else []
    return wire.RollBackPreview(
        build=summary(build, []),
        channel=channel.name,
        replaces=replaced,
        new_code=rising,
        devices=[
            DevicesWith(build=summary(old, []), devices=count, update=cost)
            for (old, count), cost in zip(had, costs, strict=False)
        ],
        obstacle=obstacle,
        etag=str(channel.version),
    )


def roll_back(
    services: Services, actor: Actor, slug: str, name: str, numbers: Sequence[int], expected: int | None
) -> list[wire.Rollout]:
    """To all of these builds, or to none. Raises `Refused` for one that was never there or is not kept, `Conflict` when the
    channel is not what was seen."""
    must(actor, Act.ROLL_OUT)
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name)
        must_be_seen(channel, expected)
        builds = [_checked(uow, slug, channel, number) for number in numbers]
        theirs = {b.number: taken for b in builds if (taken := _by_storefront(uow, channel, b))}
    if theirs:
        pass_on(services, actor, list(theirs.values()), "roll-back")
        builds = [b for b in builds if b.number not in theirs]
        expected = None  # the channel changed through this act itself
    # Signing anew takes seconds: not while the channel is locked.
    puts = [
        reissue(services, actor, slug, b.number).number if PLATFORMS[b.platform].rising_codes else b.number
        for b in builds
    ]
    with begin(services, actor) as uow:
        channel = find_channel(uow.session, slug, name, lock=True)
        must_be_seen(channel, expected)
        made = [_put(uow, slug, channel, b.number, put) for b, put in zip(builds, puts, strict=True)]
        made += [_live(uow, channel, number) for number in theirs]
    return [get_placement(services, actor, slug, name, number) for number in made]


def _put(uow: UnitOfWork, slug: str, channel: ChannelRow, number: int, put: int) -> int:
    """`put` is the build itself, or the same under a new code. The number of the placement."""
    build, again = _checked(uow, slug, channel, number), find_build(uow.session, slug, put)
    audit.record(uow, "channel.roll-back", again.name, slug, channel=channel.name, to=build.version_name)
    storefront = line_of_build(uow, build).storefront
    placement = lines.put(uow, channel, again, storefront, lines.Extent(back=True))
    queue.put(uow.session, "show_content", queue.CONTENT, lock="visibility", build=str(again.id))
    return placement.number


def _by_storefront(uow: UnitOfWork, channel: ChannelRow, build: BuildRow) -> uuid.UUID | None:
    """The submission that a storefront must take back for this; None where Rampa delivers the line.

    Raises `Refused` where it would bring back another build, or cannot.
    """
    live = [p for p in lines.live_on(uow, _line(uow, channel.id, build)) if p.submission_id]
    if not live:
        return None
    must_be_able(uow, live[-1].line.storefront, "roll-back")
    before = select(SubmissionRow).where(
        SubmissionRow.storefront == live[-1].line.storefront,
        SubmissionRow.platform == build.platform,
        SubmissionRow.title_id == build.title_id,
        SubmissionRow.state.in_((SubmissionState.REPLACED, SubmissionState.LIVE)),
        SubmissionRow.id != live[-1].submission_id,
    )
    back = uow.session.scalar(before.order_by(SubmissionRow.number.desc()).limit(1))
    if back is None or back.build_id != build.id:
        said = f"{live[-1].line.storefront} brings back {back.build.name if back else 'nothing'}, and no other build"
        raise Refused(
            "storefront.cannot", said, hint="Submit the build that you want again, with a higher version code."
        )
    return live[-1].submission_id


def _live(uow: UnitOfWork, channel: ChannelRow, number: int) -> int:
    rows = select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.state.in_(LIVE))
    found = uow.session.scalars(rows.order_by(PlacementRow.number.desc()))
    return next(p.number for p in found if p.build.number == number)


def _checked(uow: UnitOfWork, slug: str, channel: ChannelRow, number: int) -> BuildRow:
    build = find_build(uow.session, slug, number)
    _must_be_possible(build, lines.live_on(uow, _line(uow, channel.id, build)))
    return build


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
