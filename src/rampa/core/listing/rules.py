"""What a storefront asks of a listing, as data: lengths, languages, categories, links, pictures, its rating table."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from rampa.core.listing.length import Length
from rampa.core.listing.rating import RatingTable
from rampa.core.picture.fit import fit

FIELDS = {"name": "name", "short": "short text", "long": "long text"}
"""Texts of a listing, by language."""
LINKS = {"support": "support link", "privacy": "privacy link"}
CATEGORIES = {
    "puzzle": "Puzzles",
    "management": "Building and running",
    "story": "Stories",
    "action": "Action",
    "racing": "Races",
    "learning": "Learning",
    "tool": "Tools",
}
"""Ours; each storefront's table says what it makes of them."""


@dataclass(frozen=True, slots=True)
class PictureRule:
    """Pictures of a form of device: `fewest` to `most`, each exactly so large (pixels).

    `cut` is how much of a source's width or height may be cut off, as a share of 1, to come to that shape.
    """

    width: int
    height: int
    fewest: int
    most: int
    cut: float = 0.2

    def words(self) -> str:
        return f"{self.width:,} x {self.height:,} px"

    def unfit(self, width: int, height: int) -> str:
        """Why such a picture cannot be made of a source of so many pixels, as a clause; empty where it can."""
        needed = fit((width, height), (self.width, self.height))
        if needed.enlarged > 1:
            return f"it has {width:,} x {height:,} px: it would be blurred"
        if needed.cut > self.cut:
            return f"{needed.cut:.0%} of it would be cut off, and at most {self.cut:.0%} may be"
        return ""


@dataclass(frozen=True, slots=True)
class ListingRules:
    """`texts` by field; `languages` that it shows, empty: any; `pictures` by form of device; `icon` pixels a side.

    `falls_back`: players whose language is missing see the main one; without that they do not see the title at all.
    """

    storefront: str
    texts: Mapping[str, Length]
    categories: Mapping[str, str]
    links: tuple[str, ...]
    pictures: Mapping[str, PictureRule]
    icon: int
    rating: RatingTable
    languages: tuple[str, ...] = ()
    falls_back: bool = True
    videos: tuple[str, ...] = ()
    """Forms of device for which a video's link is shown."""
