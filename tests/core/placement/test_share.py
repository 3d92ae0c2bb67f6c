"""Which devices a rollout reaches: who is in stays in, the share is the share, and no device is always first."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.placement.share import (
    ALL,
    Having,
    OfferedBuild,
    build_for,
    must_grow,
    percent,
    reaches,
    read_share,
    share_of,
)
from tests.refusals import refuses

SHARES = st.integers(0, ALL)
NAMES = st.text("0123456789abcdef", min_size=8, max_size=32)
DEVICES = [f"{n:032x}" for n in range(4000)]


@given(NAMES, NAMES, SHARES, SHARES)
def test_who_is_in_stays_in(rollout: str, device: str, one: int, other: int) -> None:
    if reaches(rollout, device, min(one, other)):
        assert reaches(rollout, device, max(one, other))
    assert reaches(rollout, device, ALL)
    assert not reaches(rollout, device, 0)


@pytest.mark.parametrize("share", [10, 50, 333, 900])
def test_so_many_are_in(share: int) -> None:
    """Of 4,000 devices, within five standard deviations."""
    found = sum(reaches("first", d, share) for d in DEVICES)
    spread = 5 * (4000 * share * (ALL - share)) ** 0.5 / ALL
    assert abs(found - 4 * share) < spread


def test_two_rollouts_do_not_pick_the_same_people_first() -> None:
    first, second = ({d for d in DEVICES if reaches(r, d, 100)} for r in ("first", "second"))
    # Independent picks of a tenth share a hundredth: 40 of 4,000.
    assert 10 < len(first & second) < 90


def offered(build: int, share: int = ALL, **more: bool) -> OfferedBuild:
    return OfferedBuild(build, build, f"{build:064x}", f"rollout {build}", share, **more)


IN = next(d for d in DEVICES if reaches("rollout 2", d, 100))
OUT = next(d for d in DEVICES if not reaches("rollout 2", d, 900))


@pytest.mark.parametrize(
    ("device", "has", "builds", "wanted"),
    [
        (IN, 0, [offered(2, 100), offered(1)], 2),
        (OUT, 0, [offered(2, 100), offered(1)], 1),
        (OUT, 1, [offered(2, 100), offered(1)], 1),
        # Who has it keeps it, in the share or not, and is not sent back.
        (OUT, 2, [offered(2, 100), offered(1)], 2),
        (IN, 1, [offered(2, 100, held=True), offered(1)], 1),
        (IN, 2, [offered(2, 100, held=True), offered(1)], 2),
        # What is replaced or withdrawn while it grew: its devices stay where they are until something newer comes.
        (IN, 2, [offered(1)], None),
        (IN, 2, [offered(3), offered(1)], 3),
        # Rolled back: everybody goes, whatever they have.
        (IN, 2, [offered(1, back=True)], 1),
        (OUT, 0, [offered(2, 100)], None),
        (OUT, 9, [], None),
    ],
)
def test_what_a_device_is_to_have(device: str, has: int, builds: list[OfferedBuild], wanted: int | None) -> None:
    found = build_for(builds, device, Having(has, has))
    assert (found.build if found else None) == wanted


@given(NAMES, st.lists(SHARES, min_size=1, max_size=12))
def test_no_device_is_sent_back_and_forth_while_a_rollout_grows(device: str, shares: list[int]) -> None:
    has = 1
    for share in sorted(shares):
        found = build_for([offered(2, share), offered(1)], device, Having(has, has))
        assert found is not None
        assert found.build >= has
        has = found.build


@pytest.mark.parametrize(
    ("text", "share"), [("5", 50), ("0.5 %", 5), ("12.5%", 125), ("all", ALL), ("100 %", ALL), ("0", 0)]
)
def test_shares_are_read(text: str, share: int) -> None:
    assert read_share(text) == share
    assert read_share(percent(share)) == share


@pytest.mark.parametrize(
    ("text", "code"),
    [("-1", "share.outside"), ("101", "share.outside"), ("1e9", "share.outside"), ("inf", "share.outside"),
     ("nan", "share.outside"), ("0.05", "share.fine"), ("a tenth", "share.unread"), ("", "share.unread")],
)  # fmt: skip
def test_what_is_no_share(text: str, code: str) -> None:
    with refuses(code, where="--to"):
        read_share(text, "--to")


@given(SHARES)
def test_numbers_are_read_as_text_is(share: int) -> None:
    assert share_of(share / 10) == share


@pytest.mark.parametrize(
    ("before", "after", "code"), [(50, 50, "share.falling"), (50, 10, "share.falling"), (0, 1001, "share.outside")]
)
def test_a_share_only_grows(before: int, after: int, code: str) -> None:
    must_grow(0, 1, "peatlight#2")
    with refuses(code):
        must_grow(before, after, "peatlight#2")
