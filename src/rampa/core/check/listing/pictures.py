"""Pictures of a listing: enough of them for each form of device, large enough, of a shape that can be made of them."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.core.listing.edits import ListingEdit
from rampa.core.listing.finding import ListingFinding
from rampa.core.listing.listing import Listing, Picture, forms_of
from rampa.core.listing.rules import ListingRules, PictureRule
from rampa.core.picture.fit import fit
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.quantity import counted

ALMOST_SQUARE = 0.02


def check_pictures(listing: Listing, rules: ListingRules) -> Iterator[ListingFinding]:
    yield from _icon(listing, rules)
    for form, rule in rules.pictures.items():
        seen: set[tuple[str, ...]] = set()
        for language in ("", *listing.languages):
            there = listing.pictures_for(form, language)
            # Most languages have the common ones: they are looked at once.
            paths = tuple(p.path for p in there)
            if paths in seen:
                continue
            seen.add(paths)
            yield from _form(listing, rules, form, rule, language, there)


def _form(
    listing: Listing, rules: ListingRules, form: str, rule: PictureRule, language: str, there: list[Picture]
) -> Iterator[ListingFinding]:
    title = STOREFRONTS[rules.storefront].title
    good = []
    for picture in there:
        why = rule.unfit(picture.width, picture.height)
        if not why:
            good.append(picture)
            continue
        message = f"{title} shows pictures of a {form} at {rule.words()}, and none can be made of this one: {why}"
        hint = f"Take it at {rule.words()} or more, in that shape."
        yield ListingFinding(
            "warning", "listing.picture-unfit", message, picture.path, hint, rules.storefront, language, form
        )
    if len(good) < rule.fewest:
        yield _few(listing, rules, form, rule, language, good)
    elif len(good) > rule.most:
        message = f"{title} shows {rule.most} pictures of a {form}: the last {len(good) - rule.most} are left out"
        hint = "Order them by their names: the best first."
        where = good[rule.most].path
        yield ListingFinding("note", "listing.pictures-many", message, where, hint, rules.storefront, language, form)


def _few(
    listing: Listing, rules: ListingRules, form: str, rule: PictureRule, language: str, good: list[Picture]
) -> ListingFinding:
    title = STOREFRONTS[rules.storefront].title
    message = (
        f"{title} asks for {counted(rule.fewest, 'picture')} of a {form} at {rule.words()}, and {_so_many(len(good))}"
    )
    fix = _from_elsewhere(listing, form, rule, language, good)
    hint = f"Put more into pictures/{form}/."
    where = f"pictures/{form}"
    return ListingFinding(
        "blocker", "listing.pictures-few", message, where, hint, rules.storefront, language, form, fix
    )


def _so_many(count: int) -> str:
    return f"only {count} can be made" if count else "none can be made"


def _from_elsewhere(
    listing: Listing, form: str, rule: PictureRule, language: str, good: list[Picture]
) -> tuple[ListingEdit, ...]:
    """Pictures of another form that come out in the right shape, where they are enough."""
    names, lacking = {p.name for p in good}, rule.fewest - len(good)
    for other in forms_of(listing.pictures):
        fitting = [
            p
            for p in listing.pictures_for(other, language)
            if not rule.unfit(p.width, p.height) and p.name not in names
        ]
        if other != form and len(fitting) >= lacking:
            return tuple(
                ListingEdit(f"pictures/{form}/{p.name}.{p.path.rpartition('.')[2]}", (), p.digest)
                for p in fitting[:lacking]
            )
    return ()


def _icon(listing: Listing, rules: ListingRules) -> Iterator[ListingFinding]:
    title, icon, side = STOREFRONTS[rules.storefront].title, listing.icon(), rules.icon
    if icon is None:
        message = f"{title} asks for an icon of {side} px"
        hint = "Put a square picture of 1,024 px at pictures/icon.png."
        yield ListingFinding("blocker", "listing.icon-missing", message, "pictures/icon.png", hint, rules.storefront)
        return
    needed = fit((icon.width, icon.height), (side, side))
    if needed.enlarged > 1:
        message = f"{title} shows the icon at {side} px, and it has {icon.width:,} x {icon.height:,} px"
        hint = "Draw it with 1,024 px or more."
        yield ListingFinding("blocker", "listing.icon-small", message, icon.path, hint, rules.storefront)
    if needed.cut > ALMOST_SQUARE:
        message = f"the icon is not square ({icon.width:,} x {icon.height:,} px): its sides are cut off"
        yield ListingFinding(
            "warning", "listing.icon-not-square", message, icon.path, "Draw it square.", rules.storefront
        )
