"""What a title's listing is checked beside, its findings, and what each storefront would show of it."""

from __future__ import annotations

from rampa.core.check.findings import SEVERITIES
from rampa.core.check.listing.whole import Surroundings, check_listing
from rampa.core.errors import NotFound
from rampa.core.listing.beside import title_languages, title_storefronts
from rampa.core.listing.edits import ListingFiles
from rampa.core.listing.finding import ListingFinding
from rampa.core.listing.listing import Listing, Picture
from rampa.core.listing.rules import ListingRules
from rampa.core.listing.shown import Shown, show
from rampa.core.listing.table import LISTING_RULES
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.db import TitleRow, find_title, live_listings, load_document, newest_listing
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.listings import files as listing_files
from rampa.operations.listings.links import known_links
from rampa.operations.listings.own_draft import draft_files
from rampa.operations.listings.rating import affirmed, newest_builds, no_source
from rampa.schema import listings as wire


def check(services: Services, actor: Actor, slug: str, draft: bool) -> wire.ListingCheck:
    """Of the newest state, or of one's own draft."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        number, held = _asked(uow, title, draft)
        listing, problems = listing_files.read(uow, title.id, held)
        around = beside(uow, title)
        found, live = check_listing(listing, problems, around), live_listings(uow.session, title.id)
        return wire.ListingCheck(
            number=number,
            languages=listing.languages,
            storefronts=[
                _standing(listing, LISTING_RULES[name], found, live.get(name, 0)) for name in around.storefronts
            ],
            findings=[wire.ListingFindingOut.of(f) for f in found],
        )


def beside(uow: UnitOfWork, title: TitleRow) -> Surroundings:
    """What any listing of the title is checked against now."""
    document, builds = load_document(uow.session, title), newest_builds(uow, title)
    return Surroundings(
        title_storefronts(document),
        title_languages(document),
        known_links(uow, title.id),
        affirmed(uow, title, builds),
        no_source=no_source(builds),
    )


def shown(services: Services, actor: Actor, slug: str, query: wire.ShownQuery) -> wire.ShownOut:
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        _, held = _asked(uow, title, query.draft)
        listing, _ = listing_files.read(uow, title.id, held)
        rules = LISTING_RULES[query.storefront]
        if query.form not in rules.pictures:
            known = ", ".join(rules.pictures)
            message = f"{STOREFRONTS[query.storefront].title} has no {query.form}"
            raise NotFound("listing.form", message, where="form", hint=f"It has: {known}.")
        studio = load_document(uow.session, title).title("title.studio")
        return _shown(slug, show(listing, rules, query.language, query.form), rules, query, studio)


def _asked(uow: UnitOfWork, title: TitleRow, draft: bool) -> tuple[int, ListingFiles]:
    if draft:
        return 0, draft_files(uow, title)
    row = newest_listing(uow.session, title.id)
    return (row.number, row.files) if row else (0, listing_files.EMPTY)


def _standing(listing: Listing, rules: ListingRules, found: list[ListingFinding], live: int) -> wire.StorefrontStanding:
    mine = [f for f in found if f.storefront in ("", rules.storefront)]
    form = next(iter(rules.pictures))
    seen = show(listing, rules, listing.main, form)
    counts = {severity: sum(f.severity == severity for f in mine) for severity in SEVERITIES}
    return wire.StorefrontStanding(
        name=rules.storefront,
        title=STOREFRONTS[rules.storefront].title,
        blockers=counts["blocker"],
        warnings=counts["warning"],
        notes=counts["note"],
        languages={lang: _worst(mine, lang) for lang in listing.languages},
        rating=seen.rating,
        category=seen.category,
        forms=list(rules.pictures),
        live=live,
    )


def _worst(found: list[ListingFinding], language: str) -> str:
    there = {f.severity for f in found if f.language == language}
    return next((severity for severity in SEVERITIES if severity in there), "")


def _shown(slug: str, seen: Shown, rules: ListingRules, query: wire.ShownQuery, studio: str) -> wire.ShownOut:
    rule = rules.pictures[query.form]

    def picture(of: Picture, width: int, height: int, more: str) -> wire.ShownPicture:
        address = f"/api/v1/titles/{slug}/listing/pictures/{of.digest}?storefront={rules.storefront}{more}"
        return wire.ShownPicture(path=of.path, address=address, width=width, height=height)

    return wire.ShownOut(
        storefront=rules.storefront,
        storefront_title=STOREFRONTS[rules.storefront].title,
        language=query.language,
        form=query.form,
        texts=seen.texts,
        category=seen.category,
        rating=seen.rating,
        links=seen.links,
        video=seen.video,
        licence=seen.licence,
        studio=studio,
        icon=picture(seen.icon, rules.icon, rules.icon, "") if seen.icon else None,
        pictures=[picture(p, rule.width, rule.height, f"&form={query.form}") for p in seen.pictures],
        seen=seen.seen,
    )
