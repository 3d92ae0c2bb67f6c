"""A download that is larger than what it brings has a reason, and is not left to be taken for a mistake."""

from __future__ import annotations

import pytest

from rampa.core.content.depots.weight import why_larger


@pytest.mark.parametrize(
    ("size", "download", "said"),
    [
        (0, 0, ""),
        (1_000_000, 1_000_000, ""),
        (1_000_000, 400_000, ""),
        (1_000_000, 1_004_000, "compressed already"),
        (900, 1_100, "compressed already"),
        (33, 340_000, "a frame travels whole"),
        (1_000_000, 1_500_000, "a frame travels whole"),
    ],
)
def test_why_a_depot_downloads_more_than_it_keeps(size: int, download: int, said: str) -> None:
    assert said in why_larger(size, download)
    assert bool(said) == bool(why_larger(size, download))
