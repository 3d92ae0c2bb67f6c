"""Bringing a title's delivery to what its channels have now: its files by name, and the metadata that is signed over them.

Looked at every few seconds. Where nothing changed and nothing is due, nothing is written; killed anywhere, the next look does it.
"""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field

from sqlalchemy import select

from rampa.core.delivery import line as line_format
from rampa.core.delivery import names
from rampa.core.delivery.line import LineBuild, SignedLine
from rampa.core.errors import RampaError
from rampa.core.trust.issue import Issued, issue
from rampa.core.trust.terms import TrustRole, channel_role
from rampa.db import (
    BuildRow,
    ChannelRow,
    LineRow,
    PlacementRow,
    TitleRow,
    TrustPartRow,
    TrustRootRow,
    TrustRow,
    open_to_everybody,
    queue,
)
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.channels.offers import live_on_line, offered_build
from rampa.operations.content.result_cache import ResultCache
from rampa.operations.delivery import listing
from rampa.operations.delivery.build_files import BuildFiles, build_files
from rampa.operations.delivery.listing import Wanted
from rampa.operations.delivery.marker import any_due, content_marker, origin_places, title_marker
from rampa.operations.trust.keys import signing_keys

_built = ResultCache(64)


@dataclass
class _Picture:
    """What a title's channels have: the targets of each role, and the files by channel."""

    targets: dict[str, dict[str, bytes]] = field(default_factory=dict)
    files: dict[uuid.UUID, dict[str, Wanted]] = field(default_factory=dict)


def publish_due(services: Services) -> None:
    """Every title that has had its ceremony."""
    with begin(services) as uow:
        titles = list(uow.session.scalars(select(TrustRow.title_id)))
    for title in titles:
        publish(services, title)


def publish(services: Services, title: uuid.UUID) -> bool:
    """Whether anything was written. What cannot be signed is said with the title's trust, and tried again with the next look."""
    written = _publish_seen(services, title)
    # Looking can bring content to where its readers may read: what is seen then is another state, and lasts.
    return bool(_publish_seen(services, title) if written is None else written)


def _publish_seen(services: Services, title: uuid.UUID) -> bool | None:
    """None: something came in between."""
    with begin(services) as uow:
        trust = uow.session.get(TrustRow, title)
        if trust is None:
            return False
        marker = title_marker(uow, title)
        if (
            marker == trust.marker
            and not trust.trouble
            and not any_due(uow, title)
            and not listing.any_over(uow, title)
        ):
            return False
    try:
        picture = _picture(services, title)
        with begin(services) as uow:
            return _publish(uow, title, marker, picture)
    except RampaError as error:
        with begin(services) as uow:
            row = uow.session.get(TrustRow, title, with_for_update=True)
            if row is not None:
                row.trouble = error.sentence()
        return False


def _publish(uow: UnitOfWork, title_id: uuid.UUID, marker: str, picture: _Picture) -> bool | None:
    trust = uow.session.get(TrustRow, title_id, with_for_update=True, populate_existing=True)
    if trust is None or title_marker(uow, title_id) != marker:
        return None
    title = uow.session.get_one(TitleRow, title_id)
    before = {p.role: p for p in uow.session.scalars(select(TrustPartRow).where(TrustPartRow.title_id == title_id))}
    held = {role: Issued(p.version, p.expires_at, p.data) for role, p in before.items()}
    # A new key, or a new root: what was signed before does not hold for it.
    fresh = not trust.marker
    made = issue(_unsigned(held) if fresh else held, picture.targets, signing_keys(uow, title), uow.now)
    for role, issued in made.items():
        if role not in before:
            uow.session.add(
                TrustPartRow(
                    title_id=title_id, role=role, version=issued.version, expires_at=issued.expires_at, data=issued.data
                )
            )
        elif before[role].version != issued.version:
            before[role].version, before[role].expires_at, before[role].data = (
                issued.version,
                issued.expires_at,
                issued.data,
            )
    wanted: dict[uuid.UUID | None, dict[str, Wanted]] = {None: _metadata(uow, title_id, made)}
    wanted.update(picture.files.items())
    for role, issued in made.items():
        channel = _channel_of(role, picture.files)
        if channel is not None:
            wanted[channel][f"{names.METADATA}/{issued.version}.{role}.json"] = Wanted(len(issued.data), issued.data)
    written = listing.bring(uow, trust, wanted, frozenset((None, *uow.session.scalars(open_to_everybody(title_id)))))
    trust.marker, trust.trouble, trust.published_at = marker, "", uow.now
    if written:
        queue.tell(uow.session, f"title/{title.slug}")
    return written


def _unsigned(held: Mapping[str, Issued]) -> dict[str, Issued]:
    """As if all of it were over: every role gets its next version."""
    return {role: Issued(i.version, dt.datetime.min.replace(tzinfo=dt.UTC), i.data) for role, i in held.items()}


def _channel_of(role: str, channels: Mapping[uuid.UUID, object]) -> uuid.UUID | None:
    return next((c for c in channels if channel_role(c.hex) == role), None)


def _metadata(uow: UnitOfWork, title: uuid.UUID, made: Mapping[str, Issued]) -> dict[str, Wanted]:
    """What all of the title's devices read; every root that there was, for devices that were away for long."""
    roots = uow.session.scalars(select(TrustRootRow).where(TrustRootRow.title_id == title))
    found = {f"{names.METADATA}/{r.version}.root.json": Wanted(len(r.data), r.data) for r in roots}
    for role in (TrustRole.TARGETS, TrustRole.SNAPSHOT):
        data = made[role].data
        found[f"{names.METADATA}/{made[role].version}.{role}.json"] = Wanted(len(data), data)
    stamp = made[TrustRole.TIMESTAMP].data
    return found | {names.TIMESTAMP: Wanted(len(stamp), stamp)}


def _picture(services: Services, title_id: uuid.UUID) -> _Picture:
    picture = _Picture()
    with begin(services) as uow:
        title = uow.session.get_one(TitleRow, title_id)
        channels = list(uow.session.scalars(select(ChannelRow).where(ChannelRow.title_id == title_id)))
        origins = origin_places(uow, title_id)
        lines = [(c, platform, live_on_line(uow, c.id, platform)) for c in channels for platform in _platforms(uow, c)]
    for channel in channels:
        picture.targets[channel_role(channel.id.hex)] = {}
        picture.files[channel.id] = {}
    for channel, platform, live in lines:
        files = picture.files[channel.id]
        builds = tuple(_line_build(services, files, placement) for placement in live)
        line = SignedLine(title.identifier, channel.name, platform, channel.version, builds, origins, title.reports)
        data, path = line_format.encode(line), f"{channel_role(channel.id.hex)}/{platform}"
        picture.targets[channel_role(channel.id.hex)][path] = data
        files[names.target_name(path, data)] = Wanted(len(data), data)
    return picture


def _line_build(services: Services, files: dict[str, Wanted], placement: PlacementRow) -> LineBuild:
    made = _files_of(services, placement.build)
    files |= {name: Wanted(len(data), data) for name, data in made.made.items()}
    files |= {name: Wanted(size, None) for name, size in made.stored.items()}
    return LineBuild(offered_build(placement), len(placement.build.content.statement or b""), made.places)


def _files_of(services: Services, build: BuildRow) -> BuildFiles:
    with begin(services) as uow:
        key = (services.store, build.id, content_marker(uow, build.id))
    return _built.get(key, lambda: build_files(services, build))


def _platforms(uow: UnitOfWork, channel: ChannelRow) -> list[str]:
    return sorted(set(uow.session.scalars(select(LineRow.platform).where(LineRow.channel_id == channel.id))))
