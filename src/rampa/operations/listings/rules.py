"""What each storefront asks of a listing, as the wire has it."""

from __future__ import annotations

from rampa.core.listing.rules import CATEGORIES, FIELDS, LINKS, ListingRules
from rampa.core.listing.table import LISTING_RULES
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.operations.listings.rating import questions
from rampa.schema import listings as wire


def list_rules() -> wire.AllListingRules:
    return wire.AllListingRules(
        items=[_out(rules) for rules in LISTING_RULES.values()],
        fields=FIELDS,
        links=LINKS,
        categories=CATEGORIES,
        questions=questions({}),
    )


def _out(rules: ListingRules) -> wire.ListingRulesOut:
    return wire.ListingRulesOut(
        storefront=rules.storefront,
        title=STOREFRONTS[rules.storefront].title,
        texts={f: wire.LengthOut(most=t.most, counting=t.counting, words=t.words()) for f, t in rules.texts.items()},
        categories=dict(rules.categories),
        links=list(rules.links),
        pictures={
            form: wire.PictureRuleOut(width=p.width, height=p.height, fewest=p.fewest, most=p.most, cut=p.cut)
            for form, p in rules.pictures.items()
        },
        icon=rules.icon,
        languages=list(rules.languages),
        falls_back=rules.falls_back,
        videos=list(rules.videos),
        ratings=list(rules.rating.levels.values()),
    )
