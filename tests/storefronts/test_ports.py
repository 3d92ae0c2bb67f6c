"""What every adapter of a storefront must do; run over each."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import replace

import pytest

from rampa.core.bundle.sources import BytesSource
from rampa.storefronts.memory import MemoryStorefront
from rampa.storefronts.port import Delivered, LineName, StorefrontPort
from tests.refusals import refuses
from tests.samples import noise

LINE = LineName("example.quillback.peatlight", "linux", "early")
PUBLIC = replace(LINE, channel="public")
ADAPTERS: list[Callable[[], StorefrontPort]] = [MemoryStorefront]


@pytest.fixture(params=ADAPTERS, ids=lambda made: made.__name__)
def storefront(request: pytest.FixtureRequest) -> StorefrontPort:
    made: StorefrontPort = request.param()
    return made


def bundle(code: int) -> tuple[Delivered, BytesSource]:
    data = noise(9_000, code)
    return Delivered(code, f"1.{code}.0", hashlib.sha256(data).hexdigest(), 10), BytesSource(data)


def test_what_is_delivered_is_live_and_saying_it_again_is_no_error(storefront: StorefrontPort) -> None:
    assert (storefront.live(LINE), storefront.highest_code(LINE.identifier)) == ([], 0)
    first, second = bundle(3), bundle(4)
    for _ in range(2):
        storefront.deliver(LINE, *first)
    storefront.deliver(LINE, *second)
    assert [b.version_code for b in storefront.live(LINE)] == [4, 3]
    assert (storefront.live(PUBLIC), storefront.highest_code(LINE.identifier)) == ([], 4)


def test_codes_rise_over_all_lines_and_stay_burned(storefront: StorefrontPort) -> None:
    storefront.deliver(LINE, *bundle(5))
    storefront.deliver(PUBLIC, *bundle(5))
    other = replace(bundle(5)[0], sha256=bundle(6)[0].sha256)
    for line in (LINE, PUBLIC):
        with refuses("storefront.code", "not above 5"):
            storefront.deliver(line, other, bundle(6)[1])
    storefront.withdraw(LINE, 5)
    with refuses("storefront.code"):
        storefront.deliver(LINE, *bundle(4))
    storefront.deliver(PUBLIC, *bundle(6))


def test_a_share_grows_and_never_shrinks(storefront: StorefrontPort) -> None:
    storefront.deliver(LINE, *bundle(3))
    storefront.widen(LINE, 3, 50)
    storefront.widen(LINE, 3, 50)
    assert [b.share for b in storefront.live(LINE)] == [50]
    with refuses("storefront.share"):
        storefront.widen(LINE, 3, 49)
    with refuses("storefront.unknown", "not live on early"):
        storefront.widen(LINE, 9, 100)


def test_what_is_withdrawn_is_offered_to_nobody(storefront: StorefrontPort) -> None:
    storefront.deliver(LINE, *bundle(3))
    for _ in range(2):
        storefront.withdraw(LINE, 3)
    assert storefront.live(LINE) == []


def test_another_bundle_than_announced_is_not_taken(storefront: StorefrontPort) -> None:
    announced, _ = bundle(3)
    with refuses("storefront.bundle"):
        storefront.deliver(LINE, announced, bundle(4)[1])
    assert (storefront.live(LINE), storefront.highest_code(LINE.identifier)) == ([], 0)
