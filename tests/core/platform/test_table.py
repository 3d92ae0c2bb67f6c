"""Names of platforms and lines, as people read them."""

from __future__ import annotations

import pytest

from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.platform.table import PLATFORMS, line_title, platform_title


@pytest.mark.parametrize(
    ("platform", "storefront", "title"),
    [
        ("linux", "", "Linux"),
        ("ios", "", "iOS"),
        ("linux", "northquay", "Linux on Northquay"),
        ("android", "mossgate", "Android on Mossgate"),
        ("kiln", "", "kiln"),
        ("linux", "fog", "Linux on fog"),
    ],
)
def test_a_line_is_named_by_platform_and_storefront(platform: str, storefront: str, title: str) -> None:
    assert line_title(platform, storefront) == title


def test_every_storefront_serves_platforms_that_there_are() -> None:
    for shop in STOREFRONTS.values():
        assert set(shop.platforms) <= set(PLATFORMS)
        assert shop.title in line_title(shop.platforms[0], shop.name)
    assert len({platform_title(name) for name in PLATFORMS}) == len(PLATFORMS)
