"""What a storefront would show of a listing: in one language, on one form of device."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.listing.listing import Listing, Picture
from rampa.core.listing.rating import missing
from rampa.core.listing.rules import FIELDS, ListingRules


@dataclass(frozen=True)
class ShownText:
    """`language` is the one that it is in; `count` as the storefront counts, of at most `most`."""

    value: str
    language: str
    count: int
    most: int


@dataclass(frozen=True)
class Shown:
    """`category` and `rating` in the storefront's own words, empty where they are not said. `because`: what led to the rating."""

    texts: dict[str, ShownText | None]
    category: str
    rating: str
    because: list[str]
    links: dict[str, str]
    video: str
    licence: str
    icon: Picture | None
    pictures: list[Picture]
    seen: bool
    """Those who read this language see the title there at all."""


def show(listing: Listing, rules: ListingRules, language: str, form: str) -> Shown:
    name = rules.storefront
    category = listing.fact(name, "category")
    answers = listing.answers()
    level, because = ("", []) if missing(answers) else rules.rating.rate(answers)
    links = {link: listing.fact(name, "links", link) for link in rules.links}
    video = listing.fact(name, "videos", form) if form in rules.videos else None
    licence = listing.fact("", "licence")
    rule = rules.pictures[form]
    good = [p for p in listing.pictures_for(form, language) if not rule.unfit(p.width, p.height)]
    return Shown(
        {field: _text(listing, rules, language, field) for field in FIELDS},
        rules.categories[category.value] if category else "",
        rules.rating.levels.get(level, ""),
        because,
        {link: said.value for link, said in links.items() if said},
        video.value if video else "",
        licence.value if licence else "",
        listing.icon(),
        good[: rule.most],
        _seen(listing, rules, language),
    )


def _text(listing: Listing, rules: ListingRules, language: str, field: str) -> ShownText | None:
    said = listing.shown(language, rules.storefront, field)
    if said is None:
        return None
    spoken = language if listing.text(language, rules.storefront, field) else listing.main
    length = rules.texts[field]
    return ShownText(said.value, spoken, length.of(said.value), length.most)


def _seen(listing: Listing, rules: ListingRules, language: str) -> bool:
    if rules.languages and language not in rules.languages:
        return rules.falls_back
    return rules.falls_back or all(listing.text(language, rules.storefront, field) for field in FIELDS)
