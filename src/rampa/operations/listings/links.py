"""Links of listings: looked at once a week, sooner while they fail, and when somebody asks."""

from __future__ import annotations

import uuid
from collections.abc import Callable

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import distinct_on

from rampa.core.listing.layout import FACTS
from rampa.core.listing.link import EVERY, Link, LinkState, Look
from rampa.core.listing.reader import read_listing
from rampa.db import ListingLinkRow, ListingRow, TitleRow, find_title, newest_listing
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin, service_actor
from rampa.schema import listings as wire

LookAt = Callable[[str], Look]
"""Asks an address once; never raises."""
AT_ONCE = 200
"""Links that one round looks at."""


def list_links(services: Services, slug: str) -> wire.LinksOut:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        known = known_links(uow, title.id)
        return wire.LinksOut(
            items=[
                _out(address, where, known.get(address, Link())) for address, where in _named(uow, title.id).items()
            ],
            every=EVERY.days,
        )


def ask_look(services: Services, actor: Actor, slug: str) -> wire.LinksOut:
    """All of them are looked at anew by the next round, seconds from now."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        for row in uow.session.scalars(select(ListingLinkRow).where(ListingLinkRow.title_id == title.id)):
            row.looked_at = None
        audit.record(uow, "listing.look", slug, slug, count=len(_named(uow, title.id)))
    return list_links(services, slug)


def look_due(services: Services, look: LookAt) -> int:
    """Looks at those whose time has come, outside any transaction. Answers how many."""
    due = _due(services)
    for title, address in due:
        seen = look(address)
        with begin(services, service_actor("the link check")) as uow:
            _note(uow, title, address, seen)
    return len(due)


def known_links(uow: UnitOfWork, title: uuid.UUID) -> dict[str, Link]:
    rows = uow.session.scalars(select(ListingLinkRow).where(ListingLinkRow.title_id == title))
    return {row.address: _link(row) for row in rows}


def _due(services: Services) -> list[tuple[uuid.UUID, str]]:
    with begin(services) as uow:
        out: list[tuple[uuid.UUID, str]] = []
        # Every few seconds, for every title: of its texts in many languages none is fetched, and none is read.
        facts = func.jsonb_extract_path_text(ListingRow.texts, FACTS)
        newest = select(ListingRow.title_id, facts).ext(distinct_on(ListingRow.title_id))
        for title, text in uow.session.execute(newest.order_by(ListingRow.title_id, ListingRow.number.desc())):
            named, known = _links_in(text or ""), known_links(uow, title)
            gone = [address for address in known if address not in named]
            here = ListingLinkRow.title_id == title
            uow.session.execute(delete(ListingLinkRow).where(here, ListingLinkRow.address.in_(gone)))
            out += [(title, address) for address in named if known.get(address, Link()).due(uow.now)]
        return out[:AT_ONCE]


def _note(uow: UnitOfWork, title: uuid.UUID, address: str, seen: Look) -> None:
    rows = select(ListingLinkRow).where(ListingLinkRow.title_id == title, ListingLinkRow.address == address)
    row = uow.session.scalar(rows.with_for_update())
    if row is None:
        row = ListingLinkRow(title_id=title, address=address, created_at=uow.now, state=LinkState.UNKNOWN, said="")
        uow.session.add(row)
    before = row.state
    after = _link(row).after(seen, uow.now)
    row.state, row.said, row.looked_at, row.failed_since = after.state, after.said, after.looked_at, after.failed_since
    if after.state in (LinkState.DEAD, LinkState.REFUSED) and before != after.state:
        slug = uow.session.scalar(select(TitleRow.slug).where(TitleRow.id == title))
        audit.record(uow, "listing.link-dead", address[:200], slug, said=after.said[:200])


def _named(uow: UnitOfWork, title: uuid.UUID) -> dict[str, str]:
    """Address -> where the newest state says it."""
    row = newest_listing(uow.session, title)
    if row is None:
        return {}
    return _links_in(row.texts.get(FACTS, ""))


def _links_in(facts: str) -> dict[str, str]:
    listing, _ = read_listing({FACTS: facts}, {})
    return {said.value: said.where for said in listing.links()}


def _link(row: ListingLinkRow) -> Link:
    return Link(row.state, row.said, row.looked_at, row.failed_since)


def _out(address: str, where: str, link: Link) -> wire.LinkOut:
    return wire.LinkOut(
        address=address,
        where=where,
        state=link.state,
        said=link.said,
        looked_at=link.looked_at,
        failed_since=link.failed_since,
    )
