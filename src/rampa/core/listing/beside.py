"""What a title's profile document says that its listing is held against: storefronts and languages."""

from __future__ import annotations

from rampa.core.listing.table import LISTING_RULES
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.profile.document import Document


def title_storefronts(document: Document) -> tuple[str, ...]:
    """Those that a profile names; where none does, those that take its platforms."""
    profiles = document.profiles.values()
    named = {p.get("storefront") for p in profiles} & set(LISTING_RULES)
    platforms = {p.settings.platform for p in profiles}
    taking = {s.name for s in STOREFRONTS.values() if platforms & set(s.platforms)}
    return tuple(name for name in LISTING_RULES if name in (named or taking))


def title_languages(document: Document) -> tuple[str, ...]:
    """What its profiles say of their content, in the order in which they say it."""
    said = [lang for p in document.profiles.values() for lang in p.get("content.languages") or ()]
    return tuple(dict.fromkeys(said))
