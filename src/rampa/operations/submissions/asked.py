"""What a storefront is told of a build: its facts, the listing as that storefront shows it, pictures in its sizes."""

from __future__ import annotations

import hashlib
import uuid

from rampa.core.apart import QUICK
from rampa.core.listing.listing import Listing, Picture
from rampa.core.listing.rules import ListingRules
from rampa.core.listing.shown import show
from rampa.core.listing.table import LISTING_RULES
from rampa.core.picture.shape import make_icon, make_shaped
from rampa.core.submission.changes import Put
from rampa.db import BuildRow, ListingRow, TitleRow, find_listing, listing_pictures, newest_affirmation
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.operations.listings import files as listing_files
from rampa.operations.submissions.places import Place
from rampa.schema.storefronts import Going, ListingAt, ListingTexts, SubmissionIn

NOT_SENT = str(uuid.UUID(int=0))
"""In place of an upload's number until there is one."""
NOTHING = ListingAt(
    main="", texts={}, category="", rating="", rated_by="", links={}, licence="", icon=None, pictures={}
)
FALLBACK = "northquay"
"""Whose rules say how a listing looks at a storefront that no table has."""


def asked_of(
    uow: UnitOfWork, place: Place, row: ListingRow | None, notes: str, going: Going, share: int
) -> SubmissionIn:
    """All but the pictures, which are made while it is sent, and the upload's number."""
    build, bundle = place.build, place.build.bundle
    assert bundle is not None
    return SubmissionIn(
        identifier=place.identifier,
        platform=build.platform,
        version_code=build.version_code,
        version_name=build.version_name,
        upload=NOT_SENT,
        sha256=bundle.sha256.hex(),
        certificate=bundle.fingerprint,
        listing=_listing(uow, build.title, row, rules_of(place.table)) if row else NOTHING,
        permissions=dict(place.profile.settings.system.permissions),
        notes=notes,
        going=going,
        share=share,
    )


def rules_of(table: str) -> ListingRules:
    return LISTING_RULES[table or FALLBACK]


def _listing(uow: UnitOfWork, title: TitleRow, row: ListingRow, rules: ListingRules) -> ListingAt:
    listing, _ = listing_files.read(uow, title.id, row.files)
    form = next(iter(rules.pictures))
    facts = show(listing, rules, listing.main, form)
    return ListingAt(
        main=listing.main,
        texts={language: _texts(listing, rules, language) for language in shown_languages(listing, rules)},
        category=facts.category,
        rating=facts.rating,
        rated_by=_rated_by(uow, title),
        links=facts.links,
        licence=facts.licence,
        icon=None,
        pictures={},
    )


def shown_languages(listing: Listing, rules: ListingRules) -> list[str]:
    """Those that the storefront knows and that say all of it themselves, the main one in any case."""
    taken = [lang for lang in listing.languages if not rules.languages or lang in rules.languages]
    whole = [lang for lang in taken if all(listing.text(lang, rules.storefront, field) for field in rules.texts)]
    return list(dict.fromkeys([listing.main, *whole]))


def _texts(listing: Listing, rules: ListingRules, language: str) -> ListingTexts:
    said = {field: listing.shown(language, rules.storefront, field) for field in rules.texts}
    return ListingTexts(**{field: found.value if found else "" for field, found in said.items()})


def _rated_by(uow: UnitOfWork, title: TitleRow) -> str:
    row = newest_affirmation(uow.session, title.id)
    return row.person if row else ""


def made_pictures(services: Services, title: TitleRow, state: int, table: str) -> tuple[ListingAt, dict[str, bytes]]:
    """The listing's icon and pictures by digest, and their bytes. Made in a process apart, the same each time."""
    rules = rules_of(table)
    with begin(services) as uow:
        row = find_listing(uow.session, title, state)
        listing, _ = listing_files.read(uow, title.id, row.files)
        sources = {d: found.data for d, found in listing_pictures(uow.session, title.id, row.pictures.values()).items()}
        told = _listing(uow, title, row, rules)
    made: dict[str, bytes] = {}

    def keep(data: bytes) -> str:
        digest = hashlib.sha256(data).hexdigest()
        made[digest] = data
        return digest

    icon = listing.icon()
    shown = {form: _shown(listing, rules, form) for form in rules.pictures}
    pictures = {
        form: [
            keep(QUICK.read(make_shaped, sources[p.digest], rules.pictures[form].width, rules.pictures[form].height))
            for p in found
        ]
        for form, found in shown.items()
    }
    top = keep(QUICK.read(make_icon, sources[icon.digest], rules.icon)) if icon else None
    return told.model_copy(update={"icon": top, "pictures": pictures}), made


def _shown(listing: Listing, rules: ListingRules, form: str) -> list[Picture]:
    return show(listing, rules, listing.main, form).pictures


def put_of(uow: UnitOfWork, build: BuildRow, asked: SubmissionIn, state: int, table: str) -> Put:
    """To compare with what was put before: pictures by their sources, which every size is made of."""
    row = find_listing(uow.session, build.title, state)
    listing, _ = listing_files.read(uow, build.title_id, row.files)
    rules = rules_of(table)
    return Put(
        asked.version_name,
        asked.version_code,
        asked.sha256,
        build.bundle.size if build.bundle else 0,
        asked.listing.rating,
        asked.permissions,
        {language: texts.model_dump() for language, texts in asked.listing.texts.items()},
        {form: tuple(p.digest for p in _shown(listing, rules, form)) for form in rules.pictures},
        asked.listing.links,
    )
