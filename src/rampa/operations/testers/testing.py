"""What a tester sees: the builds that they may install, what they are asked to look at, and one build's page."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Iterable

from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.placement.life import LIVE
from rampa.core.platform.table import platform_title
from rampa.db import (
    BuildRow,
    ChannelRow,
    DeviceRow,
    PlacementRow,
    ReleaseNoteRow,
    StudioRow,
    TitleRow,
    live_there,
)
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.base.qr import picture_of
from rampa.operations.signing.grants import is_restricted, listed_devices
from rampa.operations.testers.access import installable, must_install
from rampa.schema import testers as wire

FOR_STOREFRONTS = frozenset({"aab"})
"""Kinds of bundles that packages for devices are made of."""


def home(services: Services, actor: Actor) -> wire.Testing:
    """By title and channel; the newest build of each platform. Titles and channels with nothing on them are told, too."""
    with begin(services, actor) as uow:
        until = installable(uow)
        rows = select(ChannelRow, TitleRow).join(TitleRow, TitleRow.id == ChannelRow.title_id)
        rows = rows.where(ChannelRow.id.in_(until)).order_by(TitleRow.name, ChannelRow.position)
        live = live_builds(uow, until)
        titles: dict[str, wire.TestTitle] = {}
        for channel, title in uow.session.execute(rows):
            of = titles.setdefault(title.slug, wire.TestTitle(title=title.slug, name=title.name, channels=[]))
            builds = live.get(channel.id, [])
            of.channels.append(wire.TestChannel(channel=channel.name, until=until[channel.id], builds=builds))
        studio = uow.session.scalars(select(StudioRow.name)).one()
        return wire.Testing(studio=studio, titles=list(titles.values()))


def live_builds(uow: UnitOfWork, channels: Iterable[uuid.UUID]) -> dict[uuid.UUID, list[wire.TestBuild]]:
    """Channel -> the newest live build that devices get, of each platform."""
    rows = (
        select(PlacementRow)
        .where(PlacementRow.channel_id.in_(list(channels)), PlacementRow.state.in_(LIVE), PlacementRow.share > 0)
        .order_by(PlacementRow.number.desc())
    )
    newest: dict[tuple[uuid.UUID, str], PlacementRow] = {}
    for row in uow.session.scalars(rows):
        newest.setdefault((row.channel_id, row.line.platform), row)
    notes = _notes(uow, {row.release_id for row in newest.values() if row.release_id})
    found: dict[uuid.UUID, list[wire.TestBuild]] = defaultdict(list)
    for (channel, platform), row in sorted(newest.items(), key=lambda item: item[0][1]):
        said = notes.get(row.release_id, []) if row.release_id else []
        found[channel].append(
            wire.TestBuild(
                build=row.build.number,
                version_name=row.build.version_name,
                version_code=row.build.version_code,
                platform=platform,
                platform_title=platform_title(platform),
                size=row.build.bundle.size if row.build.bundle else 0,
                placed_at=row.created_at,
                notes=said,
            )
        )
    return found


def _notes(uow: UnitOfWork, releases: set[uuid.UUID]) -> dict[uuid.UUID, list[wire.TesterNote]]:
    rows = select(ReleaseNoteRow).where(ReleaseNoteRow.release_id.in_(releases), ReleaseNoteRow.audience == "testers")
    found: dict[uuid.UUID, list[wire.TesterNote]] = defaultdict(list)
    for row in uow.session.scalars(rows.order_by(ReleaseNoteRow.language)):
        found[row.release_id].append(wire.TesterNote(language=row.language, text=row.text))
    return found


def install_page(services: Services, actor: Actor, slug: str, name: str, number: int, at: str) -> wire.InstallPage:
    """One live build. `at`: where the console is. Raises `NotFound` for all that is not live there for who asks."""
    with begin(services, actor) as uow:
        channel = must_install(uow, slug, name)
        build = find_live(uow, channel.id, number)
        builds = live_builds(uow, [channel.id]).get(channel.id, [])
        mine = [b for b in builds if b.build == number]
        bundle = build.bundle
        if not mine or bundle is None:
            raise _none()
        link = f"{at}/install/{slug}/{channel.name}/{number}"
        return wire.InstallPage(
            title=slug,
            title_name=build.title.name,
            channel=channel.name,
            build=mine[0],
            others=[b for b in builds if b.build != number],
            file=bundle.name,
            kind=bundle.kind,
            sha256=bundle.sha256.hex(),
            way=_way(uow, build),
            link=link,
            picture=picture_of(link),
        )


def find_live(uow: UnitOfWork, channel: uuid.UUID, number: int) -> BuildRow:
    """The build of that number where it is live on the channel. Raises `NotFound`."""
    build = uow.session.scalar(live_there(channel, number))
    if build is None:
        raise _none()
    return build


def _way(uow: UnitOfWork, build: BuildRow) -> str:
    """How who asks gets it: the file; where the platform wants a grant, on a device that was there before the signing."""
    if build.bundle is not None and build.bundle.kind in FOR_STOREFRONTS:
        return "storefront"
    if not is_restricted(build):
        return "file"
    mine = select(DeviceRow.name).where(
        DeviceRow.title_id == build.title_id,
        DeviceRow.person_id == uow.actor.principal,
        DeviceRow.platform == build.platform,
    )
    names = set(uow.session.scalars(mine))
    if not names:
        return "register"
    return "file" if names & listed_devices(uow, build) else "waiting"


def _none() -> NotFound:
    hint = "A newer one may have come: look at your own page."
    return NotFound("testing.gone", "this build is not there to be tested any more", hint=hint)
