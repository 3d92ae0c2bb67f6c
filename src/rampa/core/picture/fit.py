"""Whether a picture of one size can be made of another. Without a library that reads pictures: rules ask it, too."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fit:
    """`cut`: the share of one side that goes, of 1; `enlarged`: how much the source must grow, 1 for not at all."""

    cut: float
    enlarged: float


def fit(source: tuple[int, int], wanted: tuple[int, int]) -> Fit:
    """(width, height) each, in pixels."""
    across, down = wanted[0] / source[0], wanted[1] / source[1]
    return Fit(1 - min(across, down) / max(across, down), max(1.0, max(across, down)))
