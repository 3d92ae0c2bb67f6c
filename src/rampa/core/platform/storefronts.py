"""The simulated storefronts and what each asks beyond its platforms' rules. Version 2 of the table.

Every limit and level in it is made up, and no real storefront's.
"""

from __future__ import annotations

from rampa.core.platform.requirements import AtLeast, Holding, OneOf, Set, Without
from rampa.core.platform.rules import Rule, Storefront

RELEASES = (("purpose", ("release",)),)
ONLY_64_BIT = Rule(
    "code.only-64-bit",
    "code.architectures",
    Without(("x86", "arm32"), ("arm64",)),
    "the storefront refuses bundles with 32-bit code",
)
ICON = Rule(
    "pictures.icon-missing",
    "pictures.icon",
    Set("the path of a square picture of 1024 px or more"),
    "the storefront refuses a title without an icon",
    when=RELEASES,
    unset=True,
)

NORTHQUAY = Storefront(
    "northquay",
    "Northquay",
    ("linux", "windows", "macos"),
    (
        ONLY_64_BIT,
        ICON,
        Rule(
            "content.language-missing",
            "content.languages",
            Holding("en"),
            "the storefront shows titles without English only in their own countries",
            "warning",
            when=RELEASES,
        ),
        Rule(
            "pictures.opening-missing",
            "pictures.opening",
            Set("the path of a picture"),
            "players see a black window until the title has loaded",
            "note",
            when=RELEASES,
            unset=True,
        ),
    ),
)

MOSSGATE = Storefront(
    "mossgate",
    "Mossgate",
    ("android", "ios"),
    (
        ONLY_64_BIT,
        ICON,
        Rule(
            "system.target-level",
            "system.target",
            AtLeast("27"),
            "the storefront takes no new version with an older target",
            when=(("platform", ("android",)),),
            unset=True,
        ),
        Rule(
            "system.target-level",
            "system.target",
            AtLeast("17.0"),
            "the storefront takes no new version with an older target",
            when=(("platform", ("ios",)),),
            unset=True,
        ),
        Rule(
            "code.unused-kept",
            "code.unused_code",
            OneOf(("careful", "thorough")),
            "players on mobile networks download code that nothing calls",
            "warning",
            when=RELEASES,
        ),
    ),
)

VISORFIELD = Storefront(
    "visorfield",
    "Visorfield",
    ("headset",),
    (
        ONLY_64_BIT,
        ICON,
        Rule(
            "code.ahead-of-time-needed",
            "code.ahead_of_time",
            OneOf((True,)),
            "the storefront refuses code that is compiled on the device: frames would drop",
        ),
        Rule(
            "code.graphics-not-set",
            "code.graphics",
            Set("a graphics interface", ("vulkan",)),
            "the storefront wants to know the graphics interface, one that it has tested",
            unset=True,
        ),
        Rule(
            "system.minimum-level",
            "system.minimum",
            AtLeast("44"),
            "the storefront sells no headset with an older system",
        ),
        Rule(
            "system.target-level",
            "system.target",
            AtLeast("46"),
            "the storefront takes no new version with an older target",
            unset=True,
        ),
    ),
)

STOREFRONTS: dict[str, Storefront] = {s.name: s for s in (NORTHQUAY, MOSSGATE, VISORFIELD)}
