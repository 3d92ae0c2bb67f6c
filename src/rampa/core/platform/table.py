"""The table of platforms, and all rules that hold for a profile of one. Version 2 of the table.

Platforms and storefronts are data: desktop.py, handheld.py, storefronts.py, purposes.py. Adding one is adding a row.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from types import MappingProxyType

from rampa.core.platform.desktop import LINUX, MACOS, WINDOWS
from rampa.core.platform.handheld import ANDROID, HEADSET, IOS
from rampa.core.platform.purposes import PURPOSE_RULES
from rampa.core.platform.requirements import Among, AtLeast, AtMost, OneOf
from rampa.core.platform.rules import Platform, Rule
from rampa.core.platform.storefronts import STOREFRONTS

VERSION = 2
PLATFORMS: dict[str, Platform] = {p.name: p for p in (LINUX, WINDOWS, MACOS, ANDROID, IOS, HEADSET)}

STREAMED = Rule(
    "display.touch-needed",
    "display.touch_controls",
    OneOf((True,)),
    "it is streamed to handhelds, and nobody can play it there without a gamepad",
    when=(("display.streamed", (True,)),),
)


@lru_cache(maxsize=256)
def rules_for(platform: str, storefront: str, purpose: str) -> tuple[Rule, ...]:
    """Every rule for such a profile: what the platform's facts say, its own rules, the purpose's and the storefront's."""
    known = PLATFORMS[platform]
    shop = STOREFRONTS.get(storefront)
    return (*_facts(known), *known.rules, STREAMED, *PURPOSE_RULES[purpose], *(shop.rules if shop else ()))


def _facts(platform: Platform) -> tuple[Rule, ...]:
    title = platform.title
    shops = ("", *(s.name for s in STOREFRONTS.values() if platform.name in s.platforms))
    return (
        Rule("title.identifier-grammar", "title.identifier", platform.identifiers, f"{title} refuses other characters"),
        Rule(
            "code.architecture-unknown",
            "code.architectures",
            Among(platform.architectures),
            f"{title} has no such architecture",
        ),
        Rule("output.kind-unknown", "output.kind", OneOf(platform.containers), f"{title} installs no such bundle"),
        Rule("code.graphics-unknown", "code.graphics", Among(platform.graphics), f"{title} has no such interface"),
        Rule("display.window-mode", "display.window", OneOf(platform.windows), f"{title} has no such mode"),
        Rule(
            "system.minimum-level",
            "system.minimum",
            AtLeast(platform.lowest),
            f"{title} below {platform.lowest} is no longer served",
        ),
        Rule(
            "system.permission-unknown",
            "system.permissions",
            Among(platform.permissions),
            f"{title} has no such permission",
        ),
        Rule(
            "system.feature-unknown",
            "system.features",
            Among(platform.features),
            f"{title} devices have no such feature",
        ),
        Rule("version.code-limit", "version.first_code", AtMost(platform.code_limit), f"{title} counts no further"),
        Rule("profile.storefront", "storefront", OneOf(shops), f"the storefront does not take {title} titles"),
    )


NONE_CONNECTED: Mapping[str, str] = MappingProxyType({})


def platform_title(name: str) -> str:
    """What people call it; a platform that left the table keeps its own name."""
    return PLATFORMS[name].title if name in PLATFORMS else name


def line_title(platform: str, storefront: str, connected: Mapping[str, str] = NONE_CONNECTED) -> str:
    """Who delivers for what: `Linux on Northquay`; `Linux` where Rampa delivers by itself. `connected`: what storefronts that
    are in no table call themselves, by their short names."""
    if not storefront:
        return platform_title(platform)
    shop = STOREFRONTS[storefront].title if storefront in STOREFRONTS else connected.get(storefront, storefront)
    return f"{platform_title(platform)} on {shop}"
