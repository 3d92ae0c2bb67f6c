"""Placing a release: every line that goes, in one transaction, or none; growing and ending its rollouts together."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import Refused
from rampa.core.placement.life import LIVE
from rampa.core.placement.release import ReleaseLineState
from rampa.db import BuildRow, PlacementRow, ReleaseRow, find_channel, find_release
from rampa.operations.base import Act, Actor, Once, Services, UnitOfWork, audit, begin, must, once
from rampa.operations.channels.gates import list_gates
from rampa.operations.channels.place import extent_of, must_be_seen, preview, put_build
from rampa.operations.releases.lines import describe_lines
from rampa.operations.releases.releases import describe
from rampa.schema import releases as wire
from rampa.schema.channels import GateOut, PlacePreview

UNSETTLED = (ReleaseLineState.MAKING, ReleaseLineState.FAILED, ReleaseLineState.LAGS)


def preview_release(services: Services, actor: Actor, slug: str, number: int, name: str) -> wire.ReleasePreview:
    """What placing all of it would do, line by line. Changes nothing."""
    with begin(services, actor) as uow:
        release = find_release(uow.session, slug, number)
        channel = find_channel(uow.session, slug, name)
        lines, there = describe_lines(uow, release), _there(uow, release, name)
        etag = str(channel.version)
    seen = [_line(services, actor, slug, channel.name, line, there) for line in lines]
    obstacles = _obstacles(lines, {s.line.build.number: s.placing for s in seen if s.placing and s.line.build})
    if not obstacles and not any(s.placing for s in seen):
        obstacles = [f"all of it is live on {channel.name} already"]
    return wire.ReleasePreview(
        number=number,
        title=slug,
        version_name=release.version_name,
        channel=channel.name,
        lines=seen,
        obstacles=obstacles,
        possible=not obstacles,
        etag=etag,
    )


def place_release(
    services: Services,
    actor: Actor,
    slug: str,
    number: int,
    name: str,
    asked: wire.PlaceReleaseIn,
    expected: int | None,
    key: Once | None,
) -> wire.Release:
    """All lines that are not there yet, or none. Raises `Refused` with what is in the way of each."""
    must(actor, Act.PLACE)
    extent = extent_of(asked.share, asked.plan)
    gates = _gates(services, actor, slug, number, name)

    def make() -> wire.Release:
        channel = find_channel(uow.session, slug, name, lock=True)
        must_be_seen(channel, expected)
        release = find_release(uow.session, slug, number, lock=True)
        lagging = [line for line in describe_lines(uow, release) if line.state in UNSETTLED]
        if lagging:
            said = "".join(f"\n  {line.line}: {line.said}" for line in lagging)
            hint = f"Wait for them, or leave them out with a reason: rampa release leave-out {number} PROFILE."
            raise Refused("release.incomplete", f"{release.name} is not whole:{said}", hint=hint)
        there = _there(uow, release, name)
        going = [r.build for r in release.builds if r.build.number not in there]
        if not going:
            raise Refused("release.live", f"{release.name} is live on {channel.name} already")
        audit.record(uow, "release.place", release.name, slug, channel=channel.name)
        for build in going:
            put_build(uow, channel, build, gates.get(build.number, []), extent, release)
        return describe(uow, release)

    with begin(services, actor) as uow:
        return once(uow, key, wire.Release, make)


def _gates(services: Services, actor: Actor, slug: str, number: int, name: str) -> dict[int, list[GateOut]]:
    """What gates ask can take seconds of reading: not while the channel is locked."""
    with begin(services) as uow:
        numbers = [r.build.number for r in find_release(uow.session, slug, number).builds]
    return {n: list_gates(services, actor, slug, name, n) for n in numbers}


def _there(uow: UnitOfWork, release: ReleaseRow, name: str) -> set[int]:
    """Builds of it that are live on the channel."""
    channel = find_channel(uow.session, release.title.slug, name)
    rows = (
        select(BuildRow.number)
        .join(PlacementRow, PlacementRow.build_id == BuildRow.id)
        .where(PlacementRow.channel_id == channel.id, PlacementRow.state.in_(LIVE))
        .where(BuildRow.id.in_([r.build_id for r in release.builds]))
    )
    return set(uow.session.scalars(rows))


def _line(
    services: Services, actor: Actor, slug: str, name: str, line: wire.ReleaseLine, there: set[int]
) -> wire.ReleasePlaceLine:
    if line.build is None:
        return wire.ReleasePlaceLine(line=line, placing=None, said=line.said)
    if line.build.number in there:
        return wire.ReleasePlaceLine(line=line, placing=None, said=f"live on {name} already")
    return wire.ReleasePlaceLine(line=line, placing=preview(services, actor, slug, name, line.build.number), said="")


def _obstacles(lines: list[wire.ReleaseLine], placing: dict[int, PlacePreview]) -> list[str]:
    out = [f"{line.line}: {line.said}" for line in lines if line.state in UNSETTLED]
    for seen in placing.values():
        out += [f"{seen.build.name}: {f.message}" for f in seen.findings if f.severity == "blocker"]
        out += [f"{seen.build.name}: {g.said}: {g.missing}" for g in seen.gates if g.state == "closed"]
    return out
