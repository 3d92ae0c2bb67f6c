"""Pictures of listings: kept as they were sent, and made into the sizes that storefronts ask for."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, func, select

from rampa.core.apart import QUICK
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.listing.layout import LARGEST_PICTURE, MOST_PICTURES
from rampa.core.listing.table import LISTING_RULES
from rampa.core.picture.shape import Measured, make_icon, make_shaped, measure
from rampa.db import ListingDraftRow, ListingPictureRow, ListingRow, TitleRow, find_title, listing_pictures
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.listings.files import describe
from rampa.schema import listings as wire

MOST_KEPT = MOST_PICTURES * 4
"""Of one title, in all its states and drafts."""
UNUSED = dt.timedelta(days=2)
"""How long a picture stays that no state and no draft has."""
TYPES = {"png": "image/png", "jpeg": "image/jpeg", "webp": "image/webp"}


def add_picture(services: Services, actor: Actor, slug: str, data: bytes) -> wire.MadeListingPicture:
    """Read whole, in a process apart. Raises `Invalid`. The same one again is kept once."""
    measured = _measured(data)
    with begin(services, actor) as uow:
        # Locked by the title: two who send the same picture at once keep one.
        return describe(_keep(uow, find_title(uow.session, slug, lock=True), data, measured))


def keep_picture(uow: UnitOfWork, title: TitleRow, data: bytes) -> ListingPictureRow:
    """The title is locked. Raises `Invalid`."""
    return _keep(uow, title, data, _measured(data))


def _measured(data: bytes) -> Measured:
    if len(data) > LARGEST_PICTURE:
        said = f"the picture is {len(data) / 1e6:.1f} MB, and at most {LARGEST_PICTURE / 1e6:.1f} MB are taken"
        raise Invalid("picture.too-large", said, hint="Save it as JPEG, or smaller.")
    measured = QUICK.read(measure, data)
    if measured.form not in TYPES:
        raise Invalid("picture.form", f"this is {measured.form.upper()}", hint="It must be PNG, JPEG or WebP.")
    return measured


def _keep(uow: UnitOfWork, title: TitleRow, data: bytes, measured: Measured) -> ListingPictureRow:
    there = listing_pictures(uow.session, title.id, [measured.digest]).get(measured.digest)
    if there is not None:
        there.created_at = uow.now
        return there
    rows = select(func.count()).select_from(ListingPictureRow).where(ListingPictureRow.title_id == title.id)
    if (uow.session.scalar(rows) or 0) >= MOST_KEPT:
        raise Refused("listing.pictures", f"{title.slug} has {MOST_KEPT:,} pictures in all its listings")
    row = ListingPictureRow(
        title_id=title.id, digest=measured.digest, data=data, size=len(data), form=measured.form, width=measured.width,
        height=measured.height, transparent=measured.transparent, created_at=uow.now,
    )  # fmt: skip
    uow.session.add(row)
    uow.session.flush()
    return row


def get_picture(services: Services, slug: str, digest: str, query: wire.SizeQuery) -> tuple[bytes, str]:
    """(bytes, media type): in the size that was asked for, or as it was sent."""
    data, form = _sent(services, slug, digest)
    if query.storefront is None:
        return data, TYPES[form]
    rules = LISTING_RULES[query.storefront]
    if query.form is None:
        return QUICK.read(make_icon, data, rules.icon), TYPES["png"]
    rule = rules.pictures.get(query.form)
    if rule is None:
        raise NotFound("listing.form", f"{query.storefront} shows no pictures of a {query.form}", where="form")
    return QUICK.read(make_shaped, data, rule.width, rule.height), TYPES["jpeg"]


def _sent(services: Services, slug: str, digest: str) -> tuple[bytes, str]:
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        row = listing_pictures(uow.session, title.id, [digest]).get(digest)
        if row is None:
            raise NotFound("listing.picture", "the title has no such picture", where="digest")
        return row.data, row.form


def forget(services: Services) -> int:
    """Pictures that nothing has, and that nobody sent just now. Answers how many."""
    with begin(services) as uow:
        used = _used(uow)
        rows = select(ListingPictureRow.id, ListingPictureRow.title_id, ListingPictureRow.digest)
        old = uow.session.execute(rows.where(ListingPictureRow.created_at < uow.now - UNUSED))
        gone = [row.id for row in old if (row.title_id, row.digest) not in used]
        uow.session.execute(delete(ListingPictureRow).where(ListingPictureRow.id.in_(gone)))
        return len(gone)


def _used(uow: UnitOfWork) -> set[tuple[object, str]]:
    used: set[tuple[object, str]] = set()
    for table in (ListingRow, ListingDraftRow):
        for title, pictures in uow.session.execute(select(table.title_id, table.pictures)):
            used |= {(title, digest) for digest in pictures.values()}
    return used
