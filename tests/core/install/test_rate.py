"""A rate is kept over all readers together, by a clock that does not wait."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import pytest

from rampa.core.ambient import Clock
from rampa.core.install.rate import RateLimited


class Still:
    """A clock that moves only by sleeping."""

    def __init__(self) -> None:
        self.now = 100.0
        self.slept: list[float] = []

    def seconds(self) -> float:
        return self.now

    def sleep(self, seconds: float) -> None:
        self.slept.append(seconds)
        self.now += seconds


class Echo:
    """A delivery that says what it was asked for."""

    def manifest(self, digest: bytes) -> bytes:
        return b"manifest " + digest

    def manifest_difference(self, digest: bytes, base: bytes) -> bytes:
        return digest + base

    def locations(self, depots: Sequence[str], base: int = 0, base_depots: Sequence[str] = ()) -> bytes:
        return f"{depots} {base} {base_depots}".encode()

    def keys(self) -> Mapping[bytes, bytes]:
        return {b"a": b"b"}

    def read(self, pack: bytes, offset: int, size: int) -> bytes:
        return bytes(size)


def limited(rate: float, clock: Clock) -> RateLimited:
    return RateLimited(Echo(), rate, clock)


@pytest.mark.parametrize(
    ("sizes", "seconds"), [([1_000] * 5, 4.0), ([5_000, 1_000], 5.0), ([1], 0.0), ([0, 0, 0], 0.0)]
)
def test_reads_together_keep_to_the_rate(sizes: list[int], seconds: float) -> None:
    clock = Still()
    delivery = limited(1_000, clock)
    for size in sizes:
        assert len(delivery.read(b"pack", 0, size)) == size
    assert sum(clock.slept) == pytest.approx(seconds)


def test_a_pause_is_not_saved_up() -> None:
    clock = Still()
    delivery = limited(1_000, clock)
    delivery.read(b"pack", 0, 1_000)
    clock.now += 600
    delivery.read(b"pack", 0, 1_000)
    delivery.read(b"pack", 0, 1_000)
    assert sum(clock.slept) == pytest.approx(1.0), "ten minutes of silence do not let ten minutes through at once"


def test_without_a_rate_nothing_waits_and_all_else_passes() -> None:
    clock = Still()
    delivery = limited(0, clock)
    delivery.read(b"pack", 0, 10**9)
    assert clock.slept == []
    assert delivery.manifest(b"d") == b"manifest d"
    assert delivery.manifest_difference(b"d", b"b") == b"db"
    assert delivery.locations(["base"], 3, ["old"]) == b"['base'] 3 ['old']"
    assert delivery.keys() == {b"a": b"b"}
