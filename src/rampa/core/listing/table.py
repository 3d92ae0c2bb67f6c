"""What each simulated storefront asks of a listing. Version 1 of the table.

Every length, size, level and category in it is made up, and no real storefront's.
"""

from __future__ import annotations

from rampa.core.listing.length import Counting, Length
from rampa.core.listing.rating import RatingTable
from rampa.core.listing.rules import ListingRules, PictureRule

NORTHQUAY = ListingRules(
    "northquay",
    texts={
        "name": Length(44, Counting.GRAPHEMES),
        "short": Length(130, Counting.GRAPHEMES),
        "long": Length(6500, Counting.GRAPHEMES),
    },
    categories={
        "puzzle": "Thinking games",
        "management": "Works and wagons",
        "story": "Tales",
        "action": "Quick hands",
        "racing": "Quick hands",
        "learning": "Studies",
        "tool": "Workshop",
    },
    links=("support", "privacy"),
    pictures={"desktop": PictureRule(1600, 1000, 3, 12)},
    icon=640,
    videos=("desktop",),
    rating=RatingTable(
        {"all": "For all", "from-8": "From 8 years", "from-14": "From 14 years", "from-19": "From 19 years"},
        {
            ("harm", "playful"): "from-8",
            ("harm", "serious"): "from-14",
            ("harm", "cruel"): "from-19",
            ("fear", "eerie"): "from-8",
            ("fear", "horror"): "from-14",
            ("language", "coarse"): "from-14",
            ("language", "abusive"): "from-19",
            ("intimacy", "hinted"): "from-14",
            ("intimacy", "shown"): "from-19",
            ("substances", "seen"): "from-8",
            ("substances", "praised"): "from-19",
            ("chance", "tokens"): "from-14",
            ("chance", "money"): "from-19",
            ("contact", "anybody"): "from-14",
        },
    ),
)

MOSSGATE = ListingRules(
    "mossgate",
    texts={
        "name": Length(34, Counting.UTF16_UNITS),
        "short": Length(96, Counting.UTF16_UNITS),
        "long": Length(3200, Counting.UTF16_UNITS),
    },
    categories={
        "puzzle": "Head and hand",
        "management": "Little worlds",
        "story": "Read and play",
        "action": "Lively",
        "racing": "Lively",
        "learning": "Head and hand",
        "tool": "Helpers",
    },
    links=("support", "privacy"),
    pictures={"phone": PictureRule(1080, 2160, 3, 8), "tablet": PictureRule(2048, 1536, 2, 8)},
    icon=720,
    falls_back=False,
    rating=RatingTable(
        {"seed": "Seed: everybody", "sapling": "Sapling: with a grown-up near", "tree": "Tree: grown-ups"},
        {
            ("harm", "serious"): "sapling",
            ("harm", "cruel"): "tree",
            ("fear", "eerie"): "sapling",
            ("fear", "horror"): "tree",
            ("language", "coarse"): "sapling",
            ("language", "abusive"): "tree",
            ("intimacy", "hinted"): "sapling",
            ("intimacy", "shown"): "tree",
            ("substances", "seen"): "sapling",
            ("substances", "praised"): "tree",
            ("chance", "tokens"): "sapling",
            ("chance", "money"): "tree",
            ("spending", "yes"): "sapling",
            ("contact", "chosen"): "sapling",
            ("contact", "anybody"): "tree",
            ("place_shared", "yes"): "tree",
        },
    ),
)

VISORFIELD = ListingRules(
    "visorfield",
    texts={
        "name": Length(60, Counting.BYTES),
        "short": Length(110, Counting.CODE_POINTS),
        "long": Length(2400, Counting.CODE_POINTS),
    },
    categories={
        "puzzle": "Look and think",
        "management": "Tables and trains",
        "story": "Inside a tale",
        "action": "On your feet",
        "racing": "In the seat",
        "learning": "Look and think",
        "tool": "Instruments",
    },
    links=("support", "privacy"),
    pictures={"headset": PictureRule(1920, 1440, 2, 6)},
    icon=512,
    languages=("en", "fi", "es", "de", "fr", "ja", "ko", "pt", "sv"),
    videos=("headset",),
    rating=RatingTable(
        {"any": "Any wearer", "from-11": "Wearers from 11 years", "from-16": "Wearers from 16 years"},
        {
            ("harm", "serious"): "from-11",
            ("harm", "cruel"): "from-16",
            ("fear", "eerie"): "from-11",
            ("fear", "horror"): "from-16",
            ("language", "coarse"): "from-11",
            ("language", "abusive"): "from-16",
            ("intimacy", "hinted"): "from-16",
            ("intimacy", "shown"): "from-16",
            ("substances", "praised"): "from-16",
            ("chance", "money"): "from-16",
            ("contact", "anybody"): "from-16",
            ("motion", "gentle"): "from-11",
            ("motion", "strong"): "from-16",
        },
    ),
)

LISTING_RULES: dict[str, ListingRules] = {r.storefront: r for r in (NORTHQUAY, MOSSGATE, VISORFIELD)}
