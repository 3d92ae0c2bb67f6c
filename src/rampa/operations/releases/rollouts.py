"""The rollouts of a release on a channel as one: grown, held, gone on with, withdrawn, rolled back together or not at all."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import NotFound, Refused
from rampa.core.placement.life import LIVE, PlacementState
from rampa.db import PlacementRow, ReleaseRow, find_channel, find_release
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.channels import roll_back, rollouts
from rampa.operations.channels.lines import live_on
from rampa.schema import releases as releases_wire
from rampa.schema import rollouts as wire


def grow(services: Services, actor: Actor, slug: str, number: int, name: str, share: float) -> list[wire.Rollout]:
    """Those that every device has already stay as they are."""
    growing = _live(services, slug, number, name, whole=False)
    return rollouts.grow(services, actor, slug, name, growing, share)


def plan(services: Services, actor: Actor, slug: str, number: int, name: str, text: str) -> list[wire.Rollout]:
    return rollouts.plan(services, actor, slug, name, _live(services, slug, number, name, whole=False), text)


def hold(services: Services, actor: Actor, slug: str, number: int, name: str, why: str) -> list[wire.Rollout]:
    return rollouts.hold(services, actor, slug, name, _live(services, slug, number, name, whole=False), why)


def go_on(services: Services, actor: Actor, slug: str, number: int, name: str) -> list[wire.Rollout]:
    return rollouts.go_on(services, actor, slug, name, _live(services, slug, number, name, whole=False))


def withdraw(services: Services, actor: Actor, slug: str, number: int, name: str) -> list[wire.Rollout]:
    return rollouts.withdraw(services, actor, slug, name, _live(services, slug, number, name, whole=True))


def preview_roll_back(
    services: Services, actor: Actor, slug: str, number: int, name: str
) -> releases_wire.RollBackOfRelease:
    """To all of an earlier release's builds that are not what is live."""
    builds = _earlier(services, slug, number, name)
    seen = [roll_back.preview(services, actor, slug, name, build) for build in builds]
    return releases_wire.RollBackOfRelease(
        lines=seen, obstacles=[s.obstacle for s in seen if s.obstacle], etag=seen[0].etag
    )


def roll_back_to(
    services: Services, actor: Actor, slug: str, number: int, name: str, expected: int | None
) -> list[wire.Rollout]:
    builds = _earlier(services, slug, number, name)
    return roll_back.roll_back(services, actor, slug, name, builds, expected)


def _live(services: Services, slug: str, number: int, name: str, *, whole: bool) -> list[int]:
    """Its live placements on a channel; without `whole`, those that do not reach every device yet."""
    with begin(services) as uow:
        release = find_release(uow.session, slug, number)
        found = _placements(uow, release, name)
        wanted = [p.number for p in found if p.state in LIVE and (whole or p.state != PlacementState.WHOLE)]
        if not any(p.state in LIVE for p in found):
            hint = f"rampa release place {number} --on {name}"
            raise NotFound("release.not-live", f"{release.name} is not live on {name}", hint=hint)
        if not wanted:
            raise Refused("release.whole", f"{release.name} reaches every device on {name} already")
        return wanted


def _earlier(services: Services, slug: str, number: int, name: str) -> list[int]:
    with begin(services) as uow:
        release = find_release(uow.session, slug, number)
        found = _placements(uow, release, name)
        # What is alone on its line stays: there is nothing to go back from.
        alone = {p.build_id for p in found if p.state in LIVE and len(live_on(uow, p.line)) == 1}
        builds = {p.build.number for p in found if p.build_id not in alone}
        if not found:
            hint = "Roll back to a release that was placed there."
            raise NotFound("rollout.never-placed", f"{release.name} was never placed on {name}", hint=hint)
        if not builds:
            raise Refused("rollout.no-way-back", f"{release.name} is what is live on {name}")
        return sorted(builds)


def _placements(uow: UnitOfWork, release: ReleaseRow, name: str) -> list[PlacementRow]:
    channel = find_channel(uow.session, release.title.slug, name)
    builds = [r.build_id for r in release.builds]
    rows = select(PlacementRow).where(PlacementRow.channel_id == channel.id, PlacementRow.build_id.in_(builds))
    return list(uow.session.scalars(rows.order_by(PlacementRow.number)))
