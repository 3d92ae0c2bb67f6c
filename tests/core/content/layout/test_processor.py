"""How fast a processor opens a sample: by the clock, on as many threads as it is said to have."""

from __future__ import annotations

import pytest

from rampa.core.content.layout.processor import SIZE, unpacks
from rampa.system import CLOCK


class Stepping:
    """Half a second from one look to the next, then longer ones."""

    def __init__(self) -> None:
        self.now, self.step = 0.0, 0.5

    def seconds(self) -> float:
        self.now += self.step
        self.step += 0.1
        return self.now

    def sleep(self, seconds: float) -> None:
        raise AssertionError("nothing is waited for")


@pytest.mark.parametrize("threads", [1, 8])
def test_the_best_of_a_few_tries_counts(threads: int) -> None:
    assert unpacks(Stepping(), threads) == pytest.approx(threads * SIZE / 1e6 / 0.6, abs=0.001)


def test_a_clock_that_stands_still_makes_no_processor_endless() -> None:
    class Still(Stepping):
        def seconds(self) -> float:
            return 1.0

    assert unpacks(Still(), 1) < 10_000
    assert unpacks(CLOCK, 1) > 0
