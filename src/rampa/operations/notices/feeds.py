"""A channel's feed: what came to it, newest first, with the notes for players. For channels for everybody alone."""

from __future__ import annotations

from feedgenerator import Atom1Feed
from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.platform.table import line_title
from rampa.db import PlacementRow, ReleaseNoteRow, for_everybody
from rampa.operations.base import Services, UnitOfWork, begin

SHOWN = 30


def channel_feed(services: Services, identifier: str, name: str, at: str) -> bytes:
    """Atom (RFC 4287). Raises `NotFound` alike for a channel by invitation and for none."""
    with begin(services) as uow:
        found = for_everybody(uow.session, identifier, name)
        if found is None:
            raise NotFound("feed.none", "there is no such channel for everybody")
        channel, title = found
        address = f"{at}/api/v1/feeds/{identifier}/{channel.name}"
        feed = Atom1Feed(
            title=f"{title.name}, {channel.name}", link=at, description="", feed_url=address, feed_guid=address
        )
        placed = (
            select(PlacementRow)
            .where(PlacementRow.channel_id == channel.id)
            .order_by(PlacementRow.number.desc())
            .limit(SHOWN)
        )
        for row in uow.session.scalars(placed):
            _entry(uow, feed, row, address)
        written: str = feed.writeString("utf-8")
        return written.encode()


def _entry(uow: UnitOfWork, feed: Atom1Feed, row: PlacementRow, address: str) -> None:
    line = line_title(row.line.platform, row.line.storefront)
    feed.add_item(
        title=f"{row.build.version_name} for {line}",
        link=address,
        # A name of its own for each, for ever (RFC 4151): readers know by it what they have shown.
        unique_id=f"urn:uuid:{row.id}",
        description=_notes(uow, row) or f"{row.build.version_name} for {line}.",
        pubdate=row.created_at,
        updateddate=row.created_at,
    )


def _notes(uow: UnitOfWork, row: PlacementRow) -> str:
    """For players, English first."""
    if row.release_id is None:
        return ""
    rows = select(ReleaseNoteRow).where(
        ReleaseNoteRow.release_id == row.release_id, ReleaseNoteRow.audience == "players"
    )
    notes = sorted(uow.session.scalars(rows), key=lambda n: (not n.language.startswith("en"), n.language))
    return "\n\n".join(n.text for n in notes)
