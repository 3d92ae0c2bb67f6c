"""Checking a listing's folder on this machine, against the profile document beside it."""

from __future__ import annotations

from pathlib import Path

from rampa.client.listings.folder import find_folder, read_folder, read_here
from rampa.core.check.listing.whole import Surroundings, check_listing
from rampa.core.listing.beside import title_languages, title_storefronts
from rampa.core.listing.table import LISTING_RULES
from rampa.core.profile.document import read_document
from rampa.core.profile.values import FILE_NAME
from rampa.schema.listings import ListingFindingOut


def check_folder(path: Path) -> list[ListingFindingOut]:
    """Every storefront's findings where no profile document lies beside it. Who affirmed, and links, only the service knows."""
    folder = find_folder(path)
    listing, problems = read_here(read_folder(folder))
    document = folder.parent / FILE_NAME
    storefronts: tuple[str, ...] = tuple(LISTING_RULES)
    languages: tuple[str, ...] = ()
    if document.is_file():
        read = read_document(document.read_bytes())
        storefronts, languages = title_storefronts(read), title_languages(read)
    beside = Surroundings(storefronts, languages, affirmable=False)
    return [ListingFindingOut.of(f) for f in check_listing(listing, problems, beside)]
